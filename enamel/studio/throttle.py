"""How often a password may be tried: a few wrong ones, then a pause that doubles with each further one."""

import time

from django.core.cache import cache

FREE = 5
"""Wrong passwords before the first pause."""
FIRST_PAUSE = 15.0
LONGEST_PAUSE = 900.0
FORGOTTEN_AFTER = 3600


def seconds_to_wait(who: str) -> float:
    """Seconds until the next try by someone, who is a name at an address; 0 when it may be made now."""
    _, until = cache.get(_key(who), (0, 0.0))
    return max(0.0, until - time.time())


def failed(who: str) -> None:
    """One more wrong password."""
    count, _ = cache.get(_key(who), (0, 0.0))
    count += 1
    pause = min(LONGEST_PAUSE, FIRST_PAUSE * 2.0 ** (count - FREE)) if count >= FREE else 0.0
    cache.set(_key(who), (count, time.time() + pause), FORGOTTEN_AFTER)


def succeeded(who: str) -> None:
    cache.delete(_key(who))


def _key(who: str) -> str:
    return f"wrong-passwords-{who.encode().hex()}"
