"""Other spellings of one program: the same moves in other words. Only the text is read here, nothing of the interpreter is used."""

from __future__ import annotations

import re
from decimal import Decimal
from random import Random

WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
COMMENT = re.compile(r"\([^)]*\)")
HOLES = ("G73", "G74", "G76", "G81", "G82", "G83", "G84", "G85", "G86", "G89")


def code_of(line: str) -> str:
    """A line without comments."""
    return COMMENT.sub("", line).strip()


def words_of(line: str) -> list[tuple[str, str]]:
    return WORD.findall(code_of(line))


# spellings of the text alone


def blanks(lines: list[str], dice: Random) -> list[str]:
    """No blanks between words, or several."""
    gap = dice.choice(("", "  "))
    return [
        line if "(" in line or not words_of(line) else gap.join(f"{a}{b}" for a, b in words_of(line)) for line in lines
    ]


def small_letters(lines: list[str], dice: Random) -> list[str]:
    return [line.lower() for line in lines]


def two_figures(lines: list[str], dice: Random) -> list[str]:
    """G01 for G1."""
    return [line if "(" in line else re.sub(r"\b([GM])(\d)(?![\d.])", r"\g<1>0\2", line) for line in lines]


def decimals(lines: list[str], dice: Random) -> list[str]:
    """X10.000 for X10., +, and a zero before the point."""

    def longer(m: re.Match[str]) -> str:
        sign = "+" if dice.random() < 0.2 and m[2][0] not in "-+" else ""
        return f"{m[1]}{sign}{m[2]}0"

    return [line if "(" in line else re.sub(r"([XYZIJKRUW])([-+]?\d*\.\d*)", longer, line) for line in lines]


def numbers(lines: list[str], dice: Random) -> list[str]:
    """Without line numbers, or numbered by ones."""
    bare = [re.sub(r"^N\d+ ?", "", line) for line in lines]
    if dice.random() < 0.5:
        return bare
    return [
        f"N{i + 1} {line}" if words_of(line) and not line.startswith(("O", "%", "(")) else line
        for i, line in enumerate(bare)
    ]


def remarks(lines: list[str], dice: Random) -> list[str]:
    """Comments, empty lines and semicolons between."""
    found: list[str] = []
    for line in lines:
        found.append(line + ("; X99 Y99" if dice.random() < 0.1 and line != "%" else ""))
        if dice.random() < 0.1:
            found.append(dice.choice(("", "(LOOK HERE)", "   ")))
    return found


def windows_ends(lines: list[str], dice: Random) -> list[str]:
    return [line + "\r" for line in lines]


TEXT_ONLY = (blanks, small_letters, two_figures, decimals, numbers, remarks, windows_ends)


# spellings that need to know where the tool is


class Walk:
    """Goes through a mill's text and knows the motion in force and the programmed place, as far as it is known."""

    def __init__(self) -> None:
        self.motion, self.at = "G0", dict[str, Decimal | None](X=None, Y=None, Z=None)

    def step(self, line: str) -> tuple[list[tuple[str, str]], bool]:
        """The words, and whether the line is a plain move in absolute coordinates."""
        words = words_of(line)
        if line.startswith("O") or ("M", "98") in words or ("M", "99") in words:
            self.at = dict.fromkeys(self.at)
        codes = [f"{a}{b}" for a, b in words if a == "G"]
        for code in codes:
            if code in ("G0", "G1", "G2", "G3") or code in HOLES:
                self.motion = code
            elif code == "G80":
                self.motion = "G0"
        plain = self.motion in ("G0", "G1", "G2", "G3") and not any(
            c not in ("G0", "G1", "G2", "G3", "G90") for c in codes
        )
        plain = plain and not any(a in "MTODHSL" for a, _ in words)
        return words, plain and any(a in "XYZ" for a, _ in words)

    def go(self, words: list[tuple[str, str]], *, known: bool) -> None:
        for a, b in words:
            if a in self.at:
                self.at[a] = Decimal(b) if known else None


def repeated_words(lines: list[str], dice: Random) -> list[str]:
    """Motion and places said again on every line."""
    walk, found = Walk(), []
    for line in lines:
        words, plain = walk.step(line)
        if not plain or "(" in line:
            walk.go(words, known=plain)
            found.append(line)
            continue
        walk.go(words, known=True)
        rest = [f"{a}{b}" for a, b in words if a not in "NGXYZ"]
        place = [f"{a}{v:f}" for a, v in walk.at.items() if v is not None]
        place = [p if "." in p else p + "." for p in place]
        found.append(" ".join([walk.motion, *place, *rest]))
    return found


def incremental(lines: list[str], dice: Random) -> list[str]:
    """Runs of moves in G91."""
    walk, found, on = Walk(), list[str](), False
    for line in lines:
        words, plain = walk.step(line)
        before = dict(walk.at)
        ready = plain and "(" not in line and all(before[a] is not None for a, _ in words if a in before)
        if on and (not ready or dice.random() < 0.1):
            found.append("G90")
            on = False
        if ready and not on and dice.random() < 0.5:
            found.append("G91")
            on = True
        if on:
            text = []
            for a, b in words:
                if a in before:
                    by = Decimal(b) - before[a]  # type: ignore[operator]
                    b = f"{by:f}"
                    b = b if "." in b else b + "."
                text.append(f"{a}{b}")
            found.append(" ".join(text))
        else:
            found.append(line)
        walk.go(words, known=plain)
    return [*found, *(["G90"] if on else [])]


def radii(lines: list[str], dice: Random) -> list[str]:
    """R for I and J where the arc is less than half a turn and not nearly one."""
    if any(code in line for line in lines for code in ("G41", "G42")):
        return lines  # the control's offset of rounded radii is another one by a thousandth
    walk, found = Walk(), []
    for line in lines:
        words, plain = walk.step(line)
        before, given = dict(walk.at), dict(words)
        walk.go(words, known=plain)
        if (
            walk.motion in ("G2", "G3")
            and plain
            and "I" in given
            and "J" in given
            and None not in (before["X"], before["Y"])
        ):
            i, j = float(given["I"]), float(given["J"])
            x0, y0 = float(before["X"]), float(before["Y"])  # type: ignore[arg-type]
            x1, y1 = float(walk.at["X"]), float(walk.at["Y"])  # type: ignore[arg-type]
            cross = (-i) * (y1 - y0 - j) - (-j) * (x1 - x0 - i)
            dot = (-i) * (x1 - x0 - i) + (-j) * (y1 - y0 - j)
            way = 1 if walk.motion == "G3" else -1
            radius = (i * i + j * j) ** 0.5
            if radius > 1.0 and cross * way > 0.5 * radius**2 and dot > -0.5 * radius**2:
                rest = [f"{a}{b}" for a, b in words if a not in "IJ"]
                found.append(" ".join([*rest, f"R{radius:.6f}"]))
                continue
        found.append(line)
    return found


def subprogram(lines: list[str], dice: Random) -> list[str]:
    """Some lines of the middle called as a subprogram."""
    if "%" in lines[1:]:
        lines = [line for line in lines if line != "%"]
    if any(re.search(r"M9[89]|^O\d", code_of(line)) for line in lines[2:]):
        return lines
    inner = [i for i, line in enumerate(lines) if i > 4 and words_of(line) and "M30" not in line]
    if len(inner) < 12:
        return lines
    a = dice.randrange(len(inner) - 8)
    b = min(a + dice.randrange(3, 40), len(inner) - 2)
    low, high = inner[a], inner[b]
    call = dice.choice(("M98 P7001", "M98 P17001", "M98 P7001 L1"))
    return [*lines[:low], call, *lines[high:], "O7001 (PART OF IT)", *lines[low:high], "M99"]


def mirrored(lines: list[str], dice: Random) -> list[str]:
    """Everything the other way round in X, under G51.1: arcs and sides of compensation change."""
    if any(code in line for line in lines for code in ("G52", "G68", "G76", "G54.1", "G55", "G28", "G53 G0 X")):
        return lines
    swap = {"G2": "G3", "G3": "G2", "G41": "G42", "G42": "G41"}
    found: list[str] = []
    for line in lines:
        head = COMMENT.search(line)
        if (line.startswith(("%", "O")) or head) and (not words_of(line) or line.startswith("O")):
            found.append(line)
            continue
        words = []
        for a, b in words_of(line):
            if a in "XI" and not any(w == ("G", "4") for w in words_of(line)):
                b = b[1:] if b.startswith("-") else f"-{b}"
            word = f"{a}{b}"
            words.append(swap.get(word, word))
        found.append(" ".join(words))
    at = next((i for i, line in enumerate(found) if "G17" in line or "G90" in line), None)
    return [*found[: at + 1], "G51.1 X0.", *found[at + 1 :]] if at is not None else lines


def written_out(lines: list[str], dice: Random) -> list[str]:
    """G81, G82, G85 and G89 as the moves that they stand for, where the return is to the start plane."""
    found, hole, back = list[str](), dict[str, str](), ""
    for line in lines:
        words = words_of(line)
        given = dict(words)
        codes = [f"{a}{b}" for a, b in words if a == "G"]
        back = next((c for c in codes if c in ("G98", "G99")), back)
        code = next((c for c in codes if c in HOLES), "")
        if code:
            hole = {**given, "code": code}
        elif "G80" in codes or any(c in ("G0", "G1", "G2", "G3") for c in codes):
            hole = {}
        if not hole or hole["code"] not in ("G81", "G82", "G85", "G89") or back != "G99" or "(" in line:
            if hole and ("X" in given or "Y" in given or code):
                return lines  # a kind that isn't written out: the whole text stays as it is
            found.append(line)
            continue
        if "X" not in given and "Y" not in given:
            found.append(line)
            continue
        hole.update({k: v for k, v in given.items() if k in "ZRPF"})
        place = " ".join(f"{k}{given[k]}" for k in "XY" if k in given)
        found.append(f"G0 {place}")
        found += [f"G0 Z{hole['R']}", f"G1 Z{hole['Z']} F{hole.get('F', '100')}"]
        if "P" in hole and hole["code"] in ("G82", "G89"):
            found.append(f"G4 P{hole['P']}")
        found.append(f"G1 Z{hole['R']}" if hole["code"] in ("G85", "G89") else f"G0 Z{hole['R']}")
    return found


MILL = (*TEXT_ONLY, repeated_words, incremental, radii, subprogram, mirrored, written_out)


def lathe_incremental(lines: list[str], dice: Random) -> list[str]:
    """U and W for X and Z in plain moves."""
    at: dict[str, Decimal | None] = {"X": None, "Z": None}
    motion, found = "G0", []
    for line in lines:
        words = words_of(line)
        codes = [f"{a}{b}" for a, b in words if a == "G"]
        motion = next((c for c in codes if c in ("G0", "G1", "G2", "G3")), motion)
        odd = (
            any(c not in ("G0", "G1", "G2", "G3") for c in codes)
            or any(a in "UWMTSOPQ" for a, _ in words)
            or "(" in line
        )
        if any(c not in ("G0", "G1", "G2", "G3", "G41", "G42", "G40", "G96", "G97", "G50", "G92") for c in codes):
            motion = ""
        if odd or motion == "":
            at.update({a: None for a, _ in words if a in at})
            if any(a in "UWT" for a, _ in words) or motion == "":
                at = {"X": None, "Z": None}
            found.append(line)
            continue
        text = []
        for a, b in words:
            known = at.get(a)
            if a in at:
                if known is not None and dice.random() < 0.5:
                    by = f"{Decimal(b) - known:f}"
                    text.append(f"{'U' if a == 'X' else 'W'}{by if '.' in by else by + '.'}")
                else:
                    text.append(f"{a}{b}")
                at[a] = Decimal(b)
            else:
                text.append(f"{a}{b}")
        found.append(" ".join(text))
    return found


LATHE = (blanks, small_letters, two_figures, decimals, remarks, windows_ends, lathe_incremental, subprogram)


def respelled(text: str, dice: Random, ways=MILL) -> tuple[str, str]:  # type: ignore[no-untyped-def]
    """The text with one to three other spellings, and their names."""
    chosen = dice.sample(ways, dice.randrange(1, 4))
    order = [
        w
        for w in (written_out, mirrored, radii, repeated_words, incremental, lathe_incremental, subprogram)
        if w in chosen
    ]
    order += [w for w in (numbers, decimals, two_figures, blanks, remarks, small_letters, windows_ends) if w in chosen]
    lines = text.rstrip("\n").split("\n")
    for way in order:
        lines = way(lines, dice)
    return "\n".join(lines) + "\n", ", ".join(w.__name__ for w in order)
