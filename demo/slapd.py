"""A real directory server (Debian's slapd) in a folder and on ports of its own, with made-up people in it."""

import contextlib
import datetime
import ipaddress
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

SUFFIX = "dc=example,dc=org"
READER, READER_PASSWORD = f"cn=reader,{SUFFIX}", "reads everything"
ADMIN, ADMIN_PASSWORD = f"cn=admin,{SUFFIX}", "writes everything"

CONFIG = """
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
modulepath /usr/lib/ldap
moduleload back_mdb
pidfile {folder}/slapd.pid
TLSCACertificateFile {folder}/authority.pem
TLSCertificateFile {folder}/server.pem
TLSCertificateKeyFile {folder}/server.key
database mdb
suffix "{suffix}"
rootdn "{admin}"
rootpw {admin_password}
directory {folder}/data
maxsize 268435456
dbnosync
index objectClass,uid,entryUUID eq
limits dn.exact="{reader}" size.soft=500 size.hard=500 size.prtotal=unlimited
access to attrs=userPassword by anonymous auth by * none
access to * by dn.exact="{reader}" read by * none
"""


class Slapd:
    """A server that runs: where it is reached, and how its entries are changed."""

    def __init__(self, folder: Path, port: int | None = None) -> None:
        self.folder = folder
        self.port, self.tls_port = port or free_port(), free_port()
        self.process: subprocess.Popen[bytes] | None = None
        self.authority = (folder / "authority.pem").read_text() if (folder / "authority.pem").exists() else ""

    def start(self) -> None:
        self.process = subprocess.Popen(
            ["/usr/sbin/slapd", "-d", "0", "-f", self.folder / "slapd.conf", "-h", f"ldap://127.0.0.1:{self.port} ldaps://127.0.0.1:{self.tls_port}"],
            stdout=subprocess.DEVNULL,
            stderr=(self.folder / "errors").open("wb"),
        )
        until = time.monotonic() + 20
        while time.monotonic() < until:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1):
                return
            time.sleep(0.05)
        raise RuntimeError((self.folder / "errors").read_text())

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(20)
            self.process = None

    def change(self) -> Any:
        """A connection that may change everything."""
        import ldap

        connection = ldap.initialize(f"ldap://127.0.0.1:{self.port}")
        connection.simple_bind_s(ADMIN, ADMIN_PASSWORD)
        return connection


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


@contextlib.contextmanager
def running_slapd(entries: Sequence[str], port: int | None = None) -> Iterator[Slapd]:
    """A server with entries (LDIF), for as long as the context lasts."""
    folder = Path(tempfile.mkdtemp(prefix="moorland-slapd-"))
    (folder / "data").mkdir()
    certify(folder)
    names = {"folder": folder, "suffix": SUFFIX, "admin": ADMIN, "admin_password": f'"{ADMIN_PASSWORD}"', "reader": READER}
    (folder / "slapd.conf").write_text(CONFIG.format(**names))
    (folder / "entries.ldif").write_text("\n".join([*base(), *entries]))
    server = Slapd(folder, port)
    try:
        subprocess.run(["/usr/sbin/slapadd", "-q", "-f", folder / "slapd.conf", "-l", folder / "entries.ldif"], check=True, capture_output=True)
        server.start()
        yield server
    finally:
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)


def base() -> list[str]:
    return [
        entry(SUFFIX, objectClass=["dcObject", "organization"], dc="example", o="Example"),
        entry(f"ou=people,{SUFFIX}", objectClass="organizationalUnit", ou="people"),
        entry(f"ou=groups,{SUFFIX}", objectClass="organizationalUnit", ou="groups"),
        entry(READER, objectClass=["organizationalRole", "simpleSecurityObject"], cn="reader", userPassword=READER_PASSWORD),
    ]


def entry(name: str, **values: str | list[str]) -> str:
    """An entry as LDIF (RFC 2849)."""
    lines = [f"dn: {name}"]
    for key, value in values.items():
        lines += [f"{key}: {item}" for item in ([value] if isinstance(value, str) else value)]
    return "\n".join([*lines, ""])


def person(login: str, name: str, **more: str | list[str]) -> str:
    given = {"sn": name.rsplit(maxsplit=1)[-1], "mail": f"{login}@example.org", "userPassword": f"{login} came in", **more}
    return entry(f"uid={login},ou=people,{SUFFIX}", objectClass="inetOrgPerson", uid=login, cn=name, **given)


def group(name: str, *members: str) -> str:
    return entry(f"cn={name},ou=groups,{SUFFIX}", objectClass="groupOfNames", cn=name, member=list(members))


def at(login: str) -> str:
    """Where a person is."""
    return f"uid={login},ou=people,{SUFFIX}"


def group_at(name: str) -> str:
    return f"cn={name},ou=groups,{SUFFIX}"


def certify(folder: Path) -> None:
    """A certificate for this machine, vouched for by an authority of its own."""
    authority = ec.generate_private_key(ec.SECP256R1())
    issuer = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Test authority")])
    (folder / "authority.pem").write_bytes(_certificate(issuer, issuer, authority.public_key(), authority, True).public_bytes(serialization.Encoding.PEM))
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    (folder / "server.pem").write_bytes(_certificate(subject, issuer, key.public_key(), authority, False).public_bytes(serialization.Encoding.PEM))
    plain = (serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    (folder / "server.key").write_bytes(key.private_bytes(*plain))


def _certificate(subject: x509.Name, issuer: x509.Name, key: Any, by: Any, authority: bool) -> x509.Certificate:
    now = datetime.datetime.now(datetime.UTC)
    built = x509.CertificateBuilder().subject_name(subject).issuer_name(issuer).public_key(key).serial_number(x509.random_serial_number())
    built = built.not_valid_before(now - datetime.timedelta(days=1)).not_valid_after(now + datetime.timedelta(days=7))
    built = built.add_extension(x509.BasicConstraints(ca=authority, path_length=None), critical=True)
    if not authority:
        names = [x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]
        built = built.add_extension(x509.SubjectAlternativeName(names), critical=False)
    return built.sign(by, hashes.SHA256())
