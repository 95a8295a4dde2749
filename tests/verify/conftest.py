"""What long proofs share: a tally of attacks, told in the last line."""

import pytest

_tallies: list[tuple[str, int, int]] = []


class Tally:
    """How many attacks of a kind were tried, and how many were held."""

    def __init__(self, kind: str) -> None:
        self.kind, self.tried, self.broke = kind, 0, []

    def hold(self, held: bool, what: object) -> None:
        """Count one; `what` it was is told when it broke something."""
        self.tried += 1
        if not held:
            self.broke.append(str(what))

    @property
    def told(self) -> str:
        return f"{self.kind}: {self.tried} tried, {self.tried - len(self.broke)} held"


@pytest.fixture
def tally(request):
    """The tally of a test, by its name; the test fails when anything broke."""
    made = Tally(request.node.name.removeprefix("test_attacks_").replace("_", " "))
    yield made
    _tallies.append((made.kind, made.tried, made.tried - len(made.broke)))
    print(f"\n{made.told}")
    assert made.tried and not made.broke, made.broke[:10]


def pytest_unconfigure(config) -> None:
    """The last line of all."""
    if _tallies:
        print(f"\n{sum(t for _, t, _ in _tallies)} tried, {sum(h for _, _, h in _tallies)} held")
