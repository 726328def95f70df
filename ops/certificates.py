"""HTTPS for the shop's own network: an authority made on this machine, and a certificate it signs.

A phone trusts the authority once; the certificate is made anew whenever this machine's addresses
change. The authority may speak for private addresses and this machine's own names only, so that
its key, were it ever stolen, could not stand in for anybody else's site.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

AUTHORITY_DAYS = 3650
CERTIFICATE_DAYS = 397
"""Phones take no longer one."""
RENEW_DAYS = 30
PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8")


@dataclass(frozen=True)
class Certificates:
    """The files of one instance, in ``home``."""

    home: Path

    @property
    def authority(self) -> Path:
        return self.home / "authority.crt"

    @property
    def certificate(self) -> Path:
        return self.home / "server.crt"

    @property
    def key(self) -> Path:
        return self.home / "server.key"

    def ready_for(self, names: Iterable[str]) -> bool:
        """Make what is missing, short of time, or does not hold all ``names`` (host names and IPv4
        addresses). True where the certificate is a new one."""
        wanted = sorted(set(names))
        self.home.mkdir(mode=0o700, parents=True, exist_ok=True)
        if not self._authority_holds(wanted):
            self._make_authority(wanted)
        elif self._certificate_holds(wanted):
            return False
        self._make_certificate(wanted)
        return True

    def _authority_holds(self, names: list[str]) -> bool:
        found = _read(self.authority)
        if found is None or not (self.home / "authority.key").exists() or _is_old(found):
            return False
        permitted = found.extensions.get_extension_for_class(x509.NameConstraints).value
        return all(_is_within(name, permitted.permitted_subtrees or []) for name in names)

    def _certificate_holds(self, names: list[str]) -> bool:
        found = _read(self.certificate)
        if found is None or not self.key.exists() or _is_old(found):
            return False
        held = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        said = {str(one) for kind in (x509.DNSName, x509.IPAddress)
                for one in held.get_values_for_type(kind)}  # fmt: skip
        return said == set(names)

    def _make_authority(self, names: list[str]) -> None:
        key = ec.generate_private_key(ec.SECP256R1())
        now = datetime.now(UTC)
        name = x509.Name(
            [x509.NameAttribute(NameOID.COMMON_NAME, f"Kentrobar of this shop, {now:%Y-%m-%d}")]
        )
        networks = [ip_network(one) for one in PRIVATE]
        public = [ip_network(one) for one in names if _address(one)]
        hosts = {"local", "localhost", *(one for one in names if not _address(one))}
        permitted: list[x509.GeneralName] = [
            *map(x509.IPAddress, [*networks, *public]), *map(x509.DNSName, sorted(hosts)),
        ]  # fmt: skip
        usage = x509.KeyUsage(
            key_cert_sign=True, crl_sign=True, digital_signature=False, content_commitment=False,
            key_encipherment=False, data_encipherment=False, key_agreement=False,
            encipher_only=False, decipher_only=False,
        )  # fmt: skip
        made = (
            _builder(name, name, key.public_key(), AUTHORITY_DAYS)
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(usage, critical=True)
            .add_extension(x509.NameConstraints(permitted, None), critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), False)
            .sign(key, hashes.SHA256())
        )
        _write(self.home / "authority.key", _pem(key))
        _write(self.authority, made.public_bytes(serialization.Encoding.PEM), 0o644)

    def _make_certificate(self, names: list[str]) -> None:
        signing = serialization.load_pem_private_key(
            (self.home / "authority.key").read_bytes(), password=None
        )
        assert isinstance(signing, ec.EllipticCurvePrivateKey)
        authority = x509.load_pem_x509_certificate(self.authority.read_bytes())
        key = ec.generate_private_key(ec.SECP256R1())
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Kentrobar")])
        known = x509.SubjectAlternativeName(
            [x509.IPAddress(a) if (a := _address(one)) else x509.DNSName(one) for one in names]
        )
        made = (
            _builder(subject, authority.subject, key.public_key(), CERTIFICATE_DAYS)
            .add_extension(known, critical=False)
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_public_key(signing.public_key()), False
            )
            .sign(signing, hashes.SHA256())
        )
        _write(self.key, _pem(key))
        _write(self.certificate, made.public_bytes(serialization.Encoding.PEM), 0o644)


def _builder(
    subject: x509.Name, issuer: x509.Name, key: ec.EllipticCurvePublicKey, days: int
) -> x509.CertificateBuilder:
    now = datetime.now(UTC)
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key)
        .serial_number(x509.random_serial_number())
        # A phone's clock may be a little behind.
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=days - 1))
    )


def _is_within(name: str, permitted: list[x509.GeneralName]) -> bool:
    at = _address(name)
    if at is not None:
        networks = (one.value for one in permitted if isinstance(one, x509.IPAddress))
        return any(at in ip_network(str(network)) for network in networks)
    hosts = [one.value for one in permitted if isinstance(one, x509.DNSName)]
    return any(name == host or name.endswith(f".{host}") for host in hosts)


def _address(name: str) -> IPv4Address | IPv6Address | None:
    try:
        return ip_address(name)
    except ValueError:
        return None


def _is_old(found: x509.Certificate) -> bool:
    return found.not_valid_after_utc - datetime.now(UTC) < timedelta(days=RENEW_DAYS)


def _read(path: Path) -> x509.Certificate | None:
    try:
        return x509.load_pem_x509_certificate(path.read_bytes())
    except (OSError, ValueError):
        return None


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )


def _write(path: Path, content: bytes, mode: int = 0o600) -> None:
    """Whole or not at all, and never readable by others in between."""
    fresh = path.with_suffix(".new")
    fresh.unlink(missing_ok=True)
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "wb") as file:
        file.write(content)
    fresh.replace(path)
