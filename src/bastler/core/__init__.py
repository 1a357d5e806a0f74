"""The trade, without a window.

The first import of msgspec is here: it would load ``typing_extensions``, of which it needs nothing since
Python 3.11, and that costs a twentieth of the time until the window opens.
"""

import sys

if "msgspec" not in sys.modules and "typing_extensions" not in sys.modules:
    sys.modules["typing_extensions"] = None  # type: ignore[assignment]
    try:
        import msgspec  # noqa: F401
    finally:
        del sys.modules["typing_extensions"]
