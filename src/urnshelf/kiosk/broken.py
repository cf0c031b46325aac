"""How a connection breaks: the errors of the network, as the system words them."""

from __future__ import annotations

import errno
import os


def is_of_the_network(kind: type[BaseException]) -> bool:
    """Whether an exception is one with which a connection breaks: a missing file is an OSError,
    too, and none of them.
    """
    if issubclass(kind, (ConnectionError, TimeoutError)) or kind is OSError:
        return True
    # `socket.gaierror`, `ssl.SSLError` and their like: a core without sockets does not import them
    modules = {one.__module__ for one in kind.__mro__}
    return issubclass(kind, OSError) and not modules.isdisjoint({"socket", "ssl"})


def worded(broken: OSError) -> OSError:
    """An error of the network, with the number and the words that the system gives it."""
    kind = type(broken)
    if broken.args or kind not in _NUMBERS:
        return broken
    return kind(_NUMBERS[kind], os.strerror(_NUMBERS[kind]))


_NUMBERS: dict[type[OSError], int] = {
    BrokenPipeError: errno.EPIPE,
    ConnectionAbortedError: errno.ECONNABORTED,
    ConnectionRefusedError: errno.ECONNREFUSED,
    ConnectionResetError: errno.ECONNRESET,
    TimeoutError: errno.ETIMEDOUT,
}
