"""What processes say to each other."""

from __future__ import annotations

from typing import Any, TypeAlias

Message: TypeAlias = tuple[Any, ...]
"""A word, and what belongs to it."""
