"""The key under which real names are kept: AES-GCM, each ciphertext bound to its study and holder."""

import base64
import hashlib
import os
import secrets
from collections.abc import Mapping

from cryptography.hazmat.primitives.ciphers.aead import AESGCM


class NamesKey:
    """Encrypts and decrypts holders' names; `key_id` tells which key a ciphertext needs, without telling the key."""

    def __init__(self, key: bytes) -> None:
        if len(key) != 32:
            raise ValueError("the key for names is 32 bytes, base64")
        self._cipher = AESGCM(key)
        self.key_id = hashlib.sha256(b"tender-ledger names" + key).hexdigest()[:16]

    @classmethod
    def from_environment(cls, environment: Mapping[str, str] = os.environ) -> "NamesKey | None":
        """The key of TENDER_KEY, or None where it is not set: names are then neither shown nor taken."""
        text = environment.get("TENDER_KEY", "")
        return cls(base64.urlsafe_b64decode(text)) if text else None

    def encrypt(self, name: str, *, study_id: int, holder_id: int) -> tuple[bytes, bytes]:
        """Nonce and ciphertext."""
        nonce = secrets.token_bytes(12)
        return nonce, self._cipher.encrypt(nonce, name.encode(), _bound(study_id, holder_id))

    def decrypt(self, nonce: bytes, ciphertext: bytes, *, study_id: int, holder_id: int) -> str:
        """The name. Raises cryptography's InvalidTag when the ciphertext is another holder's or was changed."""
        return self._cipher.decrypt(nonce, ciphertext, _bound(study_id, holder_id)).decode()


def _bound(study_id: int, holder_id: int) -> bytes:
    return f"study {study_id} holder {holder_id}".encode()
