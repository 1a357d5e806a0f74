"""Entry: opens the window without loading anything else; every other word goes to the command line."""

from __future__ import annotations

import sys

COMMANDS = ("post", "check", "contour", "import", "export", "schema", "screenshots")


def main() -> int:
    """``bastler [JOB | --demo | COMMAND ...]``."""
    words = sys.argv[1:]
    if words and (words[0] in COMMANDS or words[0] in ("--help", "-h", "--version")):
        from bastler.cli import run

        return run(words)
    from bastler.ui.app import open_window

    if len(words) > 1 or (words and words[0].startswith("-") and words[0] != "--demo"):
        print(f"bastler: “{' '.join(words)}” is not understood. Try: bastler --help", file=sys.stderr)
        return 2
    return open_window(words[0] if words else None)


if __name__ == "__main__":
    sys.exit(main())
