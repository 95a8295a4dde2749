"""What Move's tests share."""

import pytest
from msgspec.structs import replace


@pytest.fixture
def move(window):
    """The window in Move, with four seconds of film at ten frames a second."""
    session = window.session
    film = replace(session.document.film, end=4.0, play_end=4.0)
    session.open_document(replace(session.document, film=film, frames_per_second=10.0), session.assets, None)
    session.set_stage("Move")
    return window
