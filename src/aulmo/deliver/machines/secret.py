"""Who may join: a secret that the list makes up and shows, the door that opens to it, and addresses of the office's own network only."""

import base64
import datetime
import hashlib
import ipaddress
import re
import secrets
import socket
import ssl
from pathlib import Path

from aulmo.document.writing import temporary_folder, write_atomically
from aulmo.errors import BadValue

PORT = 47130
OFFICE = "Aulmo office"
FROM, TO = datetime.datetime(2020, 1, 1), datetime.datetime(2120, 1, 1)  # one key, one certificate, whenever and wherever it is made


def secret_of(folder: Path) -> str:
    """The secret of a list, made up the first time it is asked for; only its owner may read the file. Raises CannotWrite."""
    path = folder / "secret"
    try:
        return path.read_text().strip()
    except OSError:
        pass
    folder.mkdir(parents=True, exist_ok=True)
    made = base64.b32encode(secrets.token_bytes(10)).decode().lower()
    made = "-".join(made[k : k + 4] for k in range(0, 16, 4))
    write_atomically(path, lambda file: file.write(made.encode()), mode=0o600)
    return made


def door(secret: str, inside: bool) -> ssl.SSLContext:
    """The TLS by which a machine is let in the first time: both ends prove that they know the secret, and nobody else can read along. The secret
    gives the key of an authority (Ed25519, by scrypt), and each end makes itself a certificate by it. What is given there is a certificate of the
    machine's own: see `roster`. Raises BadValue for what was never a secret of a list."""
    from cryptography import x509
    from cryptography.hazmat.primitives import serialization
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
    from cryptography.x509.oid import NameOID

    if not re.fullmatch(r"[a-z2-7]{4}(-[a-z2-7]{4}){3}", secret.strip()):
        raise BadValue("That is no secret of a list; it is four times four letters, as the list shows it.")
    seed = hashlib.scrypt(secret.strip().encode(), salt=OFFICE.encode(), n=2**14, r=8, p=1, dklen=32)
    authority, own = Ed25519PrivateKey.from_private_bytes(seed), Ed25519PrivateKey.generate()
    office = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, OFFICE)])
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "hub" if inside else "helper")])

    def signed(subject: x509.Name, key: Ed25519PrivateKey, serial: int, is_authority: bool) -> str:
        made = x509.CertificateBuilder().subject_name(subject).issuer_name(office).public_key(key.public_key()).serial_number(serial)
        made = made.not_valid_before(FROM).not_valid_after(TO)
        made = made.add_extension(x509.BasicConstraints(ca=is_authority, path_length=None), critical=True)
        made = made.add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        made = made.add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(authority.public_key()), critical=False)
        return made.sign(authority, None).public_bytes(serialization.Encoding.PEM).decode()

    key = own.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()).decode()
    context = ssl.create_default_context(
        ssl.Purpose.CLIENT_AUTH if inside else ssl.Purpose.SERVER_AUTH, cadata=signed(office, authority, 1, True)
    )
    context.minimum_version = ssl.TLSVersion.TLSv1_3
    context.check_hostname, context.verify_mode = False, ssl.CERT_REQUIRED
    with temporary_folder("card") as folder:  # the library takes certificates from files alone
        (folder / "card.pem").touch(mode=0o600)
        (folder / "card.pem").write_text(signed(name, own, x509.random_serial_number(), False) + key)
        context.load_cert_chain(folder / "card.pem")
    return context


def is_of_the_office(address: str) -> bool:
    """Whether an IP address is one of a network of one's own, and not of the world's."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return False
    return (found.is_private or found.is_loopback or found.is_link_local) and not found.is_unspecified


def own_address(toward: str = "10.255.255.255") -> str:
    """This machine's address on the office's network, or on the way to another one; the loopback where it is on none."""
    with socket.socket(socket.AF_INET6 if ":" in toward else socket.AF_INET, socket.SOCK_DGRAM) as way:
        try:
            way.connect((toward, 9))  # nothing is sent; the system only says from where it would
            found = str(way.getsockname()[0])
        except OSError:
            found = "127.0.0.1"
    return found if is_of_the_office(found) else "127.0.0.1"


def address_of(text: str) -> str:
    """ "tls://HOST:PORT" of what somebody typed: a host, perhaps with a port. Raises BadValue for an address that is not of the office's network."""
    found = re.fullmatch(r"(?:tls://)?(\[[0-9a-fA-F:]+\]|[\w.-]+?)(?::(\d{1,5}))?", text.strip())
    if found is None or not 0 < int(found[2] or PORT) < 65536:
        raise BadValue(f"“{text}” is no address; write it as 192.168.1.20:{PORT}.")
    host = found[1].strip("[]")
    try:
        known = {str(one[4][0]) for one in socket.getaddrinfo(host, None)}
    except OSError:
        raise BadValue(f"There is no machine {host} on this network.") from None
    if not all(map(is_of_the_office, known)):
        raise BadValue(f"{host} is not on the office’s own network; Aulmo joins none but that.")
    return f"tls://{found[1]}:{found[2] or PORT}"
