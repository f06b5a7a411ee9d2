"""Encrypted connections, and sign-in bound to them (channels.md 13.8, 13.9)."""

import datetime
import ipaddress
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import psycopg
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from benchmarks.at_door import KEY, door_to, evaluator_of, rows_of


@dataclass(frozen=True)
class Encrypted:
    """A door with a certificate."""

    port: int
    certificate: Path


@pytest.fixture(scope="module")
def encrypted(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Encrypted]:
    """A door that lets only encrypted connections in."""
    folder = tmp_path_factory.mktemp("certificate")
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(1)
        .not_valid_before(now)
        .not_valid_after(now + datetime.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), True)
        .sign(key, hashes.SHA256())
    )
    (folder / "door.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    private = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    (folder / "door.key").write_bytes(private)
    with door_to(evaluator_of(rows_of(100)), str(folder / "door.pem"), str(folder / "door.key")) as port:
        yield Encrypted(port, folder / "door.pem")


def connect(at: Encrypted, **options: str) -> psycopg.Connection:
    return psycopg.connect(host="localhost", port=at.port, user="asker", password=KEY, dbname="moorland", **options)


def test_a_client_that_checks_the_certificate_and_binds_its_proof_to_it_comes_in(encrypted: Encrypted) -> None:
    with connect(encrypted, sslmode="verify-full", sslrootcert=str(encrypted.certificate), channel_binding="require") as connection:
        assert (connection.execute("select count(*) from job").fetchone(), connection.pgconn.ssl_in_use) == ((100,), True)


def test_a_client_without_encryption_is_told_that_it_is_needed(encrypted: Encrypted) -> None:
    with pytest.raises(psycopg.OperationalError, match="encrypted connections only"):
        connect(encrypted, sslmode="disable")


def test_a_client_that_does_not_bind_its_proof_comes_in_too(encrypted: Encrypted) -> None:
    with connect(encrypted, sslmode="require", channel_binding="disable") as connection:
        assert connection.execute("select 1").fetchone() == (1,)
