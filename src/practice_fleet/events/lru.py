"""Least recently used pages go first; scans may enter at the cold end, so that they go before anything else."""

from __future__ import annotations

from collections import OrderedDict


class Lru:
    """A cache of ``capacity`` keys in two parts: what is asked for enters at the hot end, scans at the cold end."""

    def __init__(self, capacity: int) -> None:
        self.capacity = capacity
        self._keys: OrderedDict[int, None] = OrderedDict()

    def __contains__(self, key: int) -> bool:
        return key in self._keys

    def __len__(self) -> int:
        return len(self._keys)

    def ask(self, key: int) -> bool:
        """True when the key is there; it is then the most recently used."""
        if key in self._keys:
            self._keys.move_to_end(key)
            return True
        return False

    def put(self, key: int, cold: bool = False) -> int | None:
        """Take a key in that is not there; the key that had to go, if any."""
        if self.capacity <= 0:
            return None
        gone = self._keys.popitem(last=False)[0] if len(self._keys) >= self.capacity else None
        self._keys[key] = None
        if cold:
            self._keys.move_to_end(key, last=False)
        return gone

    def hold(self, key: int) -> None:
        """Make a key the most recently used, whether it is there or has to be taken in."""
        if not self.ask(key):
            self.put(key)
