"""Programs with subprograms, variables, branches and loops → one plain text, line by line as the control runs it.

*Flat text*: what is left once every variable has its value and every call and loop is written out; the
interpreter proper reads only that. Each flat line knows the line of the program it came from. A program
that doesn't end is stopped after a number of lines and told; nothing stops the whole.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

from msgspec import Struct

from bastler.core.findings import Finding, Severity
from bastler.core.gcode.expressions import EMPTY, Value, Wrong, evaluate, whole
from bastler.core.quantities import whole_number

MOST_LINES = 500_000
"""Flat lines that a program may have once its loops and subprograms are written out."""
MOST_JUMPS = 100_000
KEPT_LINES = 2_000
"""So much of a program that doesn't end is still shown."""
PROGRESS_EVERY = 5_000
DEEPEST_CALL = 9
LARGEST_NUMBER = 999_999_999
LOCALS = range(1, 34)
ARGUMENTS = {"A": 1, "B": 2, "C": 3, "I": 4, "J": 5, "K": 6, "D": 7, "E": 8, "F": 9, "H": 11, "M": 13, "Q": 17, "R": 18,
             "S": 19, "T": 20, "U": 21, "V": 22, "W": 23, "X": 24, "Y": 25, "Z": 26}  # fmt: skip
"""Which variable a word of a G65 call sets."""
_NEEDED = (b"#", b"[", b"GOTO", b"WHILE", b"M98", b"M99", b"G65")
_STEERING = re.compile(r"[GM]\s*0*(65|9[89])(?!\d)|GOTO|END\s*\d", re.IGNORECASE)
_END = re.compile(r"M\s*0*(2|30)(?![\d.])", re.IGNORECASE)
_LOOP_END = re.compile(rb"END\s*\d")
_COMMENT = re.compile(r"\([^)]*\)|;.*$")
_PROGRAM = re.compile(r"^\s*([O:])\s*(\d{1,9})(?!\d)", re.IGNORECASE | re.ASCII)
_LABEL = re.compile(r"^\s*(?:/[1-9]?)?\s*[N:]\s*(\d{1,9})(?!\d)", re.IGNORECASE | re.ASCII)
_CALLED = re.compile(r"(?:M\s*0*98|G\s*0*65)(?!\d).*?P\s*(\d{1,9})", re.IGNORECASE | re.ASCII)
_HEAD = re.compile(r"^\s*(?:/[1-9]?)?\s*(?:[N:]\s*\d+)?")
_APART = re.compile(r"([GMPLON])\s+(?=\d)")
COUNTED_CALL = 10_000
"""A call may have the count in front of a number of four figures: P51000 calls O1000 five times."""
_ASSIGN = re.compile(r"^#\s*(\d{1,9}|\[[^=]*\]|#\d{1,9})\s*=(.*)$", re.ASCII)
_IF = re.compile(r"^IF\s*(\[.*\])\s*(GOTO\s*(.+)|THEN\s*(#.*))$")
_WHILE = re.compile(r"^WHILE\s*(\[.*\])\s*DO\s*(\d)$", re.ASCII)
_WORD = re.compile(r"([A-Z])\s*([-+]?\s*(?:#|\[))")
_CALL_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))", re.ASCII)
Lookup = Callable[[int], bytes | None]


class Flat(Struct, frozen=True):
    """``data`` the flat text; ``source[i]`` the line (from 1) of flat line i (from 0); findings on the way."""

    data: bytes
    source: list[int]
    findings: list[Finding]


def needs_unrolling(data: bytes) -> bool:
    """Whether a text has anything that only unrolling can read."""
    upper = data.upper().replace(b" ", b"")
    return any(word in upper for word in _NEEDED) or (b"END" in upper and _LOOP_END.search(upper) is not None)


def unroll(data: bytes, lookup: Lookup = lambda _: None, progress: Callable[[float], None] | None = None) -> Flat:
    """Run the control flow of a text; ``lookup`` gives subprograms that lie beside it. ``progress`` may raise to stop it."""
    return _Runner(_lines(data), lookup, progress).run()


def _lines(data: bytes) -> list[str]:
    """Only a line feed ends a line, as in the check proper."""
    return data.decode("utf-8", "replace").removesuffix("\n").split("\n")


@lru_cache(maxsize=4096)
def _read(text: str) -> tuple[bool, bool, str]:
    """Whether a line is one for the interpreter as it stands, whether it ends the program, and its words; a loop asks often."""
    plain = _COMMENT.sub(" ", text)
    simple = not any(c in plain for c in "#[") and _STEERING.search(plain) is None
    return simple, _END.search(plain) is not None, _APART.sub(r"\1", _HEAD.sub("", plain.upper())).strip()


class _Part(Struct, frozen=True):
    """A program or subprogram: its lines with their numbers in the file, and where its N numbers stand."""

    lines: list[tuple[int, str]]
    labels: dict[int, int]
    loops: dict[tuple[str, int, str], int] = {}
    """Where the other end of a loop stands, once it has been looked for."""


def _parts(lines: list[str], number_all: int = 0) -> tuple[_Part, dict[int, _Part]]:
    """The main program and the subprograms of a text; ``number_all`` gives every line one number instead of its own."""
    called = {int(n) % COUNTED_CALL for text in lines for n in _CALLED.findall(text)}

    def head(text: str) -> int | None:
        """The number of a program that begins here; a colon heads one only if that is called, else a main block."""
        m = _PROGRAM.match(text)
        return int(m.group(2)) if m and (m.group(1) != ":" or int(m.group(2)) in called) else None

    heads = [i for i, text in enumerate(lines) if head(text) is not None]
    starts = [0, *(h for h in heads if any(_has_words(t) for t in lines[:h]))]
    parts, named = [], {}
    for a, b in zip(starts, [*starts[1:], len(lines)], strict=True):
        rows = [(number_all or i + 1, lines[i]) for i in range(a, b)]
        labels = {int(m.group(1)): k for k, (_, text) in enumerate(rows) if (m := _LABEL.match(text))}
        part = _Part(rows, labels, {})
        parts.append(part)
        number = next((n for _, text in rows if (n := head(text)) is not None), None)
        if number is not None:
            named[number] = part
    return parts[0], named


def _has_words(text: str) -> bool:
    """Whether a line is more than a comment and the mark of a program's beginning."""
    return bool(_COMMENT.sub("", text).strip().strip("%0123456789"))


class _Call(Struct):
    """A level of execution."""

    number: int
    part: _Part
    at: int = 0
    repeats: int = 1
    variables: dict[int, float] = {}


class _Runner:
    def __init__(self, lines: list[str], lookup: Lookup, progress: Callable[[float], None] | None) -> None:
        main, self.named = _parts(lines)
        self.lookup, self.progress = lookup, progress
        self.stack = [_Call(-1, main)]
        self.shared: dict[int, float] = {}
        self.out: list[str] = []
        self.source: list[int] = []
        self.findings: list[Finding] = []
        self.told: set[object] = set()
        self.jumps = 0
        self.steps = 0
        self.line = 1

    def find(self, kind: str, severity: Severity, text: str, once: object = None) -> None:
        """A finding at the line that runs."""
        if once is None or once not in self.told:
            self.told.add(once)
            self.findings.append(Finding(kind, severity, text, self.line))

    def run(self) -> Flat:
        """Line after line until the program ends."""
        while self.stack:
            call = self.stack[-1]
            if call.at >= len(call.part.lines):
                self._return(call)
                continue
            number, text = call.part.lines[call.at]
            self.line = number
            call.at += 1
            self.steps += 1
            if self.progress and self.steps % PROGRESS_EVERY == 0:
                self.progress(len(self.out) / MOST_LINES)
            if len(self.out) > MOST_LINES or self.jumps > MOST_JUMPS:
                self._give_up()
                break
            try:
                if self._line(text, call):
                    break
            except Wrong as error:
                self.find("syntax", "stop", str(error))
        return Flat(("\n".join(self.out or ["( )"]) + "\n").encode(), self.source, self.findings)

    def _give_up(self) -> None:
        """Only the beginning of a program without an end is of any use."""
        lines, jumps = (f"{n:,}".replace(",", " ") for n in (len(self.out), self.jumps))
        text = f"The program does not end: it was stopped here after {lines} lines and {jumps} jumps. Check the condition of its loop, or how often its subprogram is called. Only its first {KEPT_LINES} lines are shown."
        self.find("endless-loop", "stop", text)
        del self.out[KEPT_LINES:], self.source[KEPT_LINES:]

    def put(self, text: str) -> None:
        """A flat line."""
        self.out.append(text)
        self.source.append(self.line)

    # variables

    def get(self, index: int) -> Value:
        """A variable's value; one never set is empty."""
        if index == 0:
            return EMPTY
        found = (self.stack[-1].variables if index in LOCALS else self.shared).get(index)
        if found is None:
            self.find(
                "unset-variable",
                "warn",
                f"#{index} has no value here; it counts as nothing. Set it before, or check its number.",
                ("unset", self.line, index),
            )
        return found

    def set(self, index: int, value: float) -> None:
        """Give a variable a value."""
        if index <= 0:
            raise Wrong("#0 is always empty and can't be set. Use another number.")
        (self.stack[-1].variables if index in LOCALS else self.shared)[index] = value

    # one line

    def _line(self, text: str, call: _Call) -> bool:
        """Carry out one line; whether the program ends."""
        plain, ends, words = _read(text)
        if plain:
            self.put(text)
            return ends
        if self._flow(words, call):
            return False
        words = self._values(words)
        return self._calls(words, call)

    def _flow(self, words: str, call: _Call) -> bool:
        """Assignments, branches and loops; whether it was one."""
        assign = _ASSIGN.match(words)
        if assign:
            index = assign.group(1)
            number = whole_number(index)
            at = number if number is not None else round(whole(index, self.get))
            self.set(at, whole(assign.group(2), self.get))
            return True
        branch = _IF.match(words)
        if branch:
            if whole(branch.group(1), self.get):
                self._jump(branch.group(3), call) if branch.group(3) else self._flow(branch.group(4), call)
            return True
        if words.startswith("GOTO"):
            self._jump(words[4:], call)
            return True
        loop = _WHILE.match(words)
        if loop:
            if not whole(loop.group(1), self.get):
                call.at = self._beyond(call, loop.group(2))
            return True
        end = re.match(r"^END\s*(\d)$", words)
        if end:
            call.at = self._head(call, end.group(1))
            self.jumps += 1
            return True
        return False

    def _jump(self, target: str, call: _Call) -> None:
        label = round(whole(target, self.get))
        if label not in call.part.labels:
            raise Wrong(f"There is no line N{label} to go to. Correct the number.")
        call.at = call.part.labels[label]
        self.jumps += 1

    def _beyond(self, call: _Call, mark: str) -> int:
        """The line behind the loop's END."""
        return self._once(("end", call.at, mark), call, self._find_end)

    def _head(self, call: _Call, mark: str) -> int:
        """The line with the loop's WHILE."""
        return self._once(("head", call.at, mark), call, self._find_head)

    def _once(self, key: tuple[str, int, str], call: _Call, find: Callable[[_Call, str], int]) -> int:
        """A loop runs often; its other end is looked for once."""
        known = call.part.loops
        if key not in known:
            known[key] = find(call, key[2])
        return known[key]

    def _find_end(self, call: _Call, mark: str) -> int:
        for k in range(call.at, len(call.part.lines)):
            if re.match(rf"^\s*(N\d+)?\s*END\s*{mark}\b", call.part.lines[k][1], re.IGNORECASE):
                return k + 1
        raise Wrong(f"The loop DO{mark} has no END{mark}. Add it.")

    def _find_head(self, call: _Call, mark: str) -> int:
        for k in range(call.at - 2, -1, -1):
            if re.search(rf"\bDO\s*{mark}\b", call.part.lines[k][1], re.IGNORECASE):
                return k
        raise Wrong(f"END{mark} has no DO{mark} before it. Add it, or take END{mark} out.")

    def _values(self, words: str) -> str:
        """Words with their variables and brackets as numbers."""
        result, rest = "", words
        while True:
            match = _WORD.search(rest)
            if match is None:
                return result + rest
            value, behind = evaluate(rest[match.start(2) :], self.get)
            text = f"{value:.6f}".rstrip("0")
            if match.group(1) in "GMNOPTHDSL" and value == round(value):
                text = str(round(value))
            result += rest[: match.start()] + match.group(1) + text
            rest = behind

    def _calls(self, words: str, call: _Call) -> bool:
        """M98, G65, M99; anything else is a flat line. Whether the program ends."""
        found = {letter: float(value) for letter, value in _CALL_WORD.findall(words)}
        if re.search(r"M0*99(?!\d)", words):
            if "P" in found and len(self.stack) > 1:
                self.stack.pop()
                self._jump(str(found["P"]), self.stack[-1])
            elif len(self.stack) > 1:
                self._return(call)
            else:
                self.find(
                    "endless-loop",
                    "warn",
                    "M99 in the main program starts it over for ever; the check runs it once. Write M30 to end it.",
                )
                return True
            return False
        if re.search(r"M0*98(?!\d)", words):
            rest = re.sub(r"M0*98(?!\d)|[PL]\s*\d+\.?", " ", words).strip()
            if rest:
                self.put(rest)
            self._call(found, None)
            return False
        if re.search(r"G0*65(?!\d)", words):
            behind = words[re.search(r"G0*65(?!\d)", words).end() :]  # type: ignore[union-attr]
            given = {letter: float(value) for letter, value in _CALL_WORD.findall(behind)}
            self._call(given, {ARGUMENTS[k]: v for k, v in given.items() if k in ARGUMENTS})
            return False
        self.put(words)
        return bool(re.search(r"M0*(2|30)(?![\d.])", words))

    def _call(self, found: dict[str, float], variables: dict[int, float] | None) -> None:
        """Go into a subprogram; ``None``: with the caller's own variables."""
        if "P" not in found:
            raise Wrong("The call has no P with the number of the subprogram. Add it.")
        if max(found["P"], found.get("L", 1)) > LARGEST_NUMBER:
            raise Wrong("P and L of a call have nine digits at most. Correct them.")
        number, repeats = int(found["P"]), int(found.get("L", 1))
        if number >= COUNTED_CALL and number not in self.named and "L" not in found:
            number, repeats = number % COUNTED_CALL, number // COUNTED_CALL
        if any(c.number == number for c in self.stack):
            raise Wrong(f"Subprogram O{number} calls itself, over and over. Call another, or use a loop.")
        if len(self.stack) > DEEPEST_CALL:
            raise Wrong(f"Subprograms call each other more than {DEEPEST_CALL} deep. Controls refuse that; call fewer.")
        part = self.named.get(number) or self._beside(number)
        if part is None:
            have = ", ".join(f"O{n}" for n in sorted(self.named)) or "none"
            raise Wrong(
                f"There is no subprogram O{number} (the text has {have}). Add it, or lay O{number}.nc beside the program."
            )
        if repeats > 0:
            self.stack.append(
                _Call(number, part, 0, repeats, self.stack[-1].variables if variables is None else variables)
            )

    def _beside(self, number: int) -> _Part | None:
        data = self.lookup(number)
        if data is None:
            return None
        part, _ = _parts(_lines(data), self.line)
        self.named[number] = part
        return part

    def _return(self, call: _Call) -> None:
        """The end of a level: once more, or back."""
        call.repeats -= 1
        if call.repeats > 0:
            call.at = 0
            self.jumps += 1
        else:
            self.stack.pop()
