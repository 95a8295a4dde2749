"""Who has joined a list: its own authority, the certificate that each helper gets from it, and those that were taken back.

Files of the list, for its owner alone: `authority.json` (keys), `helpers.json` (by a certificate's number: its name, since when, whether it was
taken back).
"""

import datetime
import os
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from aulmo.document.locks import alone_in
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue, CannotWrite

if TYPE_CHECKING:
    from distributed import Security

OFFICE = "Aulmo list"
DAYS = 3650


class Authority(msgspec.Struct):
    """Keys and certificates of a list, as PEM."""

    key: str
    certificate: str
    hub_key: str
    hub_certificate: str


class Card(msgspec.Struct):
    """What a helper has to show: its own key, its certificate, and that of the authority; where the list's engine was."""

    key: str
    certificate: str
    authority: str
    engine: str


class Joined(msgspec.Struct, omit_defaults=True):
    """A helper that was let in."""

    name: str
    since: float
    gone: bool = False


def _fresh() -> Any:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    return Ed25519PrivateKey.generate()


def _pem(key: Any) -> str:
    from cryptography.hazmat.primitives import serialization as s

    return key.private_bytes(s.Encoding.PEM, s.PrivateFormat.PKCS8, s.NoEncryption()).decode()


def _signed(name: str, role: str, key: Any, by: Any, issuer: str, is_authority: bool = False) -> tuple[str, str]:
    """A certificate for a public key, and its number."""
    from cryptography import x509
    from cryptography.hazmat.primitives import serialization as s
    from cryptography.x509.oid import NameOID

    now, number = datetime.datetime.now(datetime.UTC), x509.random_serial_number()
    subject = [x509.NameAttribute(NameOID.COMMON_NAME, name[:60] or "helper"), x509.NameAttribute(NameOID.ORGANIZATIONAL_UNIT_NAME, role)]
    made = x509.CertificateBuilder().subject_name(x509.Name(subject)).public_key(key).serial_number(number)
    above = [x509.NameAttribute(NameOID.COMMON_NAME, issuer), x509.NameAttribute(NameOID.ORGANIZATIONAL_UNIT_NAME, "list")]
    made = made.issuer_name(x509.Name(above))
    made = made.not_valid_before(now - datetime.timedelta(days=2)).not_valid_after(now + datetime.timedelta(days=DAYS))
    made = made.add_extension(x509.BasicConstraints(ca=is_authority, path_length=None), critical=True)
    made = made.add_extension(x509.SubjectKeyIdentifier.from_public_key(key), critical=False)
    made = made.add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(by.public_key()), critical=False)
    return made.sign(by, None).public_bytes(s.Encoding.PEM).decode(), f"{number:x}"


def authority_of(folder: Path) -> Authority:
    """The keys of a list, made up the first time they are asked for. Raises CannotWrite or BadFile."""
    path = folder / "authority.json"
    if not path.exists():
        key, hub = _fresh(), _fresh()
        name = f"{OFFICE} {os.urandom(4).hex()}"
        root, _ = _signed(name, "list", key.public_key(), key, name, True)
        made = Authority(_pem(key), root, _pem(hub), _signed("hub", "hub", hub.public_key(), key, name)[0])
        blob = msgspec.json.encode(made)
        write_atomically(path, lambda file: file.write(blob), mode=0o600)
    try:
        return msgspec.json.decode(path.read_bytes(), type=Authority)
    except (OSError, msgspec.MsgspecError):
        raise BadFile(f"{path} cannot be read; delete it, and all helpers join anew.") from None


def _security(key: str, certificate: str, authority: str) -> "Security":
    from distributed import Security

    ends = {f"tls_{end}_{what}": text for end in ("scheduler", "worker", "client") for what, text in (("cert", certificate), ("key", key))}
    return Security(tls_ca_file=authority, require_encryption=True, **ends)


def hub_security(folder: Path) -> "Security":
    """What the list's own processes show and want to see. Raises CannotWrite or BadFile."""
    held = authority_of(folder)
    return _security(held.hub_key, held.hub_certificate, held.certificate)


def helper_security(card: Card) -> "Security":
    """What a helper shows and wants to see."""
    return _security(card.key, card.certificate, card.authority)


def asked() -> tuple[str, str]:
    """A key of one's own, and what is sent to have a certificate for it."""
    from cryptography.hazmat.primitives import serialization as s

    key = _fresh()
    return _pem(key), key.public_key().public_bytes(s.Encoding.PEM, s.PublicFormat.SubjectPublicKeyInfo).decode()


def let_in(folder: Path, name: str, public: str) -> tuple[str, str]:
    """A certificate for the key of a helper that knows the secret, and the authority's. Raises BadValue for what is no key, CannotWrite."""
    from cryptography.hazmat.primitives import serialization as s
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    held = authority_of(folder)
    by: Any = s.load_pem_private_key(held.key.encode(), None)
    try:
        key = s.load_pem_public_key(public.encode())
    except (ValueError, TypeError):
        key = None
    if not isinstance(key, Ed25519PublicKey):
        raise BadValue("That is no key.")
    from cryptography import x509

    issuer = x509.load_pem_x509_certificate(held.certificate.encode()).subject.get_attributes_for_oid(x509.oid.NameOID.COMMON_NAME)[0].value
    certificate, number = _signed(name, "helper", key, by, str(issuer))
    with alone_in(folder):
        _write(folder, {**joined(folder), number: Joined(name, time.time())})
    return certificate, held.certificate


def joined(folder: Path) -> dict[str, Joined]:
    """All that were ever let in, by their certificates' numbers."""
    try:
        return msgspec.json.decode((folder / "helpers.json").read_bytes(), type=dict[str, Joined])
    except (OSError, msgspec.MsgspecError):
        return {}


def _write(folder: Path, held: dict[str, Joined]) -> None:
    blob = msgspec.json.encode(held)
    write_atomically(folder / "helpers.json", lambda file: file.write(blob), mode=0o600)


def take_back(folder: Path, name: str) -> list[str]:
    """Take back the certificates of all helpers of a name; returns their numbers. Raises BadValue when there is none."""
    with alone_in(folder):
        held = joined(folder)
        numbers = [number for number, one in held.items() if one.name == name and not one.gone]
        if not numbers:
            there = ", ".join(sorted({one.name for one in held.values() if not one.gone})) or "none"
            raise BadValue(f"No helper named {name} is let in; there are {there}.")
        for number in numbers:
            held[number].gone = True
        _write(folder, held)
    return numbers


def is_welcome(folder: Path, role: str, number: str) -> bool:
    """Whether somebody with a certificate of the list may come in: its own processes, and helpers that are on its list."""
    return role == "hub" or (role == "helper" and (one := joined(folder).get(number)) is not None and not one.gone)


# a helper's own cards


def _card_path(folder: Path, address: str) -> Path:
    from aulmo.document.file_names import file_name

    return folder / f"{file_name(address, None)}.json"


def kept_card(folder: Path, address: str) -> Card | None:
    """The card that a helper has for the list at an address."""
    try:
        return msgspec.json.decode(_card_path(folder, address).read_bytes(), type=Card)
    except (OSError, msgspec.MsgspecError):
        return None


def keep_card(folder: Path, address: str, card: Card) -> None:
    """Keep a card, for its owner's eyes alone. Raises CannotWrite."""
    blob = msgspec.json.encode(card)
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise CannotWrite(f"The folder {folder} could not be made: {error.strerror or error}.") from error
    write_atomically(_card_path(folder, address), lambda file: file.write(blob), mode=0o600)
