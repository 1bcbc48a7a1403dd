"""Named conditions: which rows are meant, in a small readable language, parsed by a grammar and never by eval.

    condition = both { "or" both }
    both      = negated { "and" negated }
    negated   = "not" negated | test
    test      = "(" condition ")" | "mark" text | "named" text | "right" [ of ] | operand follows
    follows   = ( "=" | "!=" | "<" | "<=" | ">" | ">=" ) operand
              | "in" "(" literal { "," literal } ")" | "between" literal "and" literal | "is" "absent"
    operand   = field | "actual" | "predicted" [ of ] | "score" [ of ] | literal
    of        = "(" ( letter | text ) ")"
    literal   = text in double quotes | number
    field     = a word, or anything in backquotes

A row is meant only where the condition is true: what compares an absent value is unknown, "not" leaves it unknown,
"and" is the least and "or" the greatest of false, unknown and true (Kleene 1938, J. Symb. Log. 3:150).
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from .truth import Kind, Node, Operand, Table, Truth, evaluate, seconds

WORDS = ("actual", "predicted", "score", "right", "mark", "named", "in", "between", "is", "absent", "not", "and", "or")
COMPARISONS = ("=", "!=", "<=", ">=", "<", ">")
LITERALS = ("text", "number")
DEEPEST = 100  # parentheses and nots inside each other
LONGEST = 10_000  # characters
_TOKEN = re.compile(
    r'\s*(?:(?P<number>-?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)|(?P<text>"(?:[^"\\]|\\["\\])*")|(?P<field>`[^`]+`)'
    r"|(?P<word>[^\W\d]\w*)|(?P<sign>!=|<=|>=|[=<>(),])|(?P<other>\S))"
)


class ConditionError(ValueError):
    """A wrong condition: what is wrong, and at which character (from 0)."""

    def __init__(self, text: str, at: int, why: str) -> None:
        self.text, self.at, self.why = text, at, why
        super().__init__(f"{why} at character {at + 1}: {text[:at]}⟨here⟩{text[at:]}")


@dataclass(frozen=True)
class Names:
    """What a condition may speak of.

    fields : their kinds, by name
    classes : labels
    candidates : names and letters; scoring : which of them give a score
    marks : the marks that rows bear; None where there are none to speak of
    called : labels by the names that classes are shown by, which may be written in place of them
    named : the study's conditions that may be spoken of by their names; None where none may
    """

    fields: Mapping[str, Kind]
    classes: Sequence[str] = ()
    candidates: Sequence[str] = ()
    scoring: frozenset[str] = frozenset()
    marks: frozenset[str] | None = None
    called: Mapping[str, str] = field(default_factory=dict)
    named: frozenset[str] | None = None


@dataclass(frozen=True)
class Condition:
    """A parsed condition. `dates` are the fields whose text literals are dates."""

    text: str
    tree: Node
    dates: frozenset[str] = field(default_factory=frozenset)

    @property
    def answers(self) -> set[tuple[str, str | None]]:
        """What it reads of candidates: "predicted" or "score", and whose; None for the one in scope."""
        return {(o.what, o.of) for n in _all(self.tree) for o in n.operands if o.what in ("predicted", "score")}

    @property
    def reads_answers(self) -> bool:
        """Whether it depends on what a candidate answered."""
        return bool(self.answers)

    @property
    def marks(self) -> list[str]:
        """The marks that it speaks of."""
        return [n.operands[0].name for n in _all(self.tree) if n.op == "mark"]

    @property
    def named(self) -> list[str]:
        """The conditions that it speaks of by their names."""
        return [n.operands[0].name for n in _all(self.tree) if n.op == "named"]

    def told_of(self, whose: str) -> Condition:
        """The same, saying whose answers are meant where it does not."""
        tree = _told_of(self.tree, whose)
        return self if tree == self.tree else replace(self, text=written(tree), tree=tree)

    def evaluate(self, table: Table) -> Truth:
        """Which rows are meant.

        Raises
        ------
        KeyError
            Where the table has no such field, candidate or mark.
        """
        return evaluate(self.tree, table, self.dates)

    def __str__(self) -> str:
        return written(self.tree)


def marked(mark: str) -> Condition:
    """True of the rows that bear a mark.

    Examples
    --------
    >>> marked("look").text
    'mark "look"'
    """
    text = '"' + mark.replace("\\", "\\\\").replace('"', '\\"') + '"'
    return parse(f"mark {text}", Names({}, (), (), marks=frozenset((mark,))))


def parse(text: str, names: Names) -> Condition:
    """Parse a condition.

    Raises
    ------
    ConditionError
        With the place where it goes wrong, and what may stand there.

    Examples
    --------
    >>> names = Names({"ward": "text", "age": "number"}, ("no", "yes"), ("A", "Net"), frozenset(("A", "Net")))
    >>> str(parse('not (ward in ("North","South") or age >= 3e1) and actual != predicted', names))
    'not (ward in ("North", "South") or age >= 30) and actual != predicted'
    >>> parse('age < "old"', names)
    Traceback (most recent call last):
        ...
    skarlo.core.language.condition.ConditionError: age is a number at character 7: age < ⟨here⟩"old"
    """
    if len(text) > LONGEST:
        raise ConditionError(text[:60], 0, f"a condition has at most {LONGEST:,} characters")
    parser = _Parser(text, names)
    tree = parser.condition(0)
    parser.ended()
    return Condition(text, tree, frozenset(name for name, kind in names.fields.items() if kind == "date"))


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


class _Parser:
    def __init__(self, text: str, names: Names) -> None:
        self.text, self.names, self.tokens, self.next = text, names, _tokens(text), 0

    def fail(self, why: str, at: int | None = None) -> ConditionError:
        return ConditionError(self.text, self.here.at if at is None else at, why)

    @property
    def here(self) -> _Token:
        return self.tokens[self.next]

    def take(self) -> _Token:
        token = self.here
        self.next += 1
        return token

    def comes(self, *texts: str) -> bool:
        return self.here.kind in ("word", "sign") and self.here.text in texts

    def expect(self, text: str) -> None:
        if not self.comes(text):
            raise self.fail(f"“{text}” is expected")
        self.take()

    def ended(self) -> None:
        if self.here.kind != "end":
            raise self.fail("“and”, “or” or the end is expected")

    def condition(self, depth: int) -> Node:
        return self._chain("or", lambda: self._chain("and", lambda: self.negated(depth)))

    def _chain(self, op: str, make: Callable[[], Node]) -> Node:
        parts = [make()]
        while self.comes(op):
            self.take()
            parts.append(make())
        return parts[0] if len(parts) == 1 else Node(op, tuple(parts))

    def negated(self, depth: int) -> Node:
        if depth > DEEPEST:
            raise self.fail(f"more than {DEEPEST} deep")
        if self.comes("not"):
            self.take()
            return Node("not", (self.negated(depth + 1),))
        return self.test(depth)

    def test(self, depth: int) -> Node:
        if self.comes("("):
            self.take()
            inside = self.condition(depth + 1)
            self.expect(")")
            return inside
        if self.comes("mark"):
            self.take()
            if self.here.kind != "text":
                raise self.fail("the name of a mark in double quotes is expected")
            if self.names.marks is None:
                raise self.fail("no rows are marked here")
            return Node("mark", operands=(Operand("text", _unquoted(self.take().text)),))
        if self.comes("named"):
            self.take()
            return Node("named", operands=(Operand("text", self.condition_name()),))
        if self.comes("right"):
            self.take()
            return Node("right", operands=(Operand("predicted", of=self.of()),))
        return self.compared()

    def condition_name(self) -> str:
        if self.here.kind != "text":
            raise self.fail("the name of a condition in double quotes is expected")
        if self.names.named is None:
            raise self.fail("no other condition is spoken of by its name here")
        name = _unquoted(self.here.text)
        if name not in self.names.named:
            raise self.fail(f"no condition is named {name}")
        self.take()
        return name

    def compared(self) -> Node:
        at, left = self.here.at, self.operand()
        if self.comes(*COMPARISONS):
            op = self.take().text
            right_at, right = self.here.at, self.operand()
            if left.what in LITERALS and right.what in LITERALS:
                raise self.fail("one side has to be a field, “actual”, “predicted” or “score”", at)
            self.same_kind(left, at, right, right_at)
            left, right = self.labelled(left, right), self.labelled(right, left)
            if self.comes(*COMPARISONS):
                raise self.fail("a comparison does not go on: write two, with “and” between them")
            return Node(op, operands=(left, right))
        if left.what in LITERALS:
            raise self.fail("a comparison is expected")
        if self.comes("in"):
            self.take()
            self.expect("(")
            found = [self.literal(left)]
            while self.comes(","):
                self.take()
                found.append(self.literal(left))
            self.expect(")")
            return Node("in", operands=(left, *found))
        if self.comes("between"):
            self.take()
            low = self.literal(left)
            self.expect("and")
            return Node("between", operands=(left, low, self.literal(left)))
        if self.comes("is"):
            self.take()
            self.expect("absent")
            return Node("absent", operands=(left,))
        raise self.fail("a comparison, “in”, “between” or “is absent” is expected")

    def literal(self, beside: Operand) -> Operand:
        at = self.here.at
        if self.here.kind not in ("text", "number"):
            raise self.fail("a number or a text in double quotes is expected")
        found = self.operand()
        self.same_kind(beside, at, found, at)
        return self.labelled(found, beside)

    def labelled(self, one: Operand, beside: Operand) -> Operand:
        """A class by its label, where it was written by the name that it is shown by."""
        if one.what != "text" or beside.what not in ("actual", "predicted") or one.name in self.names.classes:
            return one
        return replace(one, name=self.names.called.get(one.name, one.name))

    def operand(self) -> Operand:
        token = self.here
        if token.kind == "number":
            number = float(self.take().text)
            if not math.isfinite(number):
                raise self.fail("this number is too large", token.at)
            return Operand("number", number=number)
        if token.kind == "text":
            return Operand("text", _unquoted(self.take().text))
        if token.kind == "field":
            return self.named(self.take().text.strip("`"), token.at)
        if token.kind != "word":
            raise self.fail("a field, “actual”, “predicted”, “score”, a number or a text is expected")
        if token.text == "actual":
            self.take()
            return Operand("actual")
        if token.text in ("predicted", "score"):
            self.take()
            of = self.of()
            if token.text == "score" and of is not None and of not in self.names.scoring:
                raise self.fail(f"{of} gives no score", token.at)
            return Operand(token.text, of=of)
        if token.text in WORDS:
            raise self.fail(f"a field is expected; one that is called {token.text} stands in backquotes")
        return self.named(self.take().text, token.at)

    def named(self, name: str, at: int) -> Operand:
        if name not in self.names.fields:
            near = [f for f in self.names.fields if f.lower() == name.lower()]
            raise self.fail(f"there is no field {name}" + (f"; {near[0]} is one" if near else ""), at)
        return Operand("field", name)

    def of(self) -> str | None:
        if not self.comes("("):
            return None
        self.take()
        token = self.here
        if token.kind not in ("word", "text"):
            raise self.fail("a candidate's letter, or its name in double quotes, is expected")
        name = _unquoted(token.text) if token.kind == "text" else token.text
        if name not in self.names.candidates:
            raise self.fail(f"there is no candidate {name}")
        self.take()
        self.expect(")")
        return name

    def kind(self, o: Operand) -> Kind:
        if o.what == "field":
            return self.names.fields[o.name]
        return "number" if o.what in ("number", "score") else "text"

    def is_class(self, name: str) -> bool:
        """Whether a class has this label, or is shown by this name."""
        return name in self.names.classes or name in self.names.called

    def same_kind(self, left: Operand, left_at: int, right: Operand, right_at: int) -> None:
        """That two sides can be compared; a text beside a date has to be one, beside a class one of the labels."""
        for one, other, at in ((left, right, right_at), (right, left, left_at)):
            kind = self.kind(one)
            if other.what == "text" and kind == "date":
                if seconds(other.name) is None:
                    raise self.fail(f"{one.name} is a date: write it as 2026-01-31", at)
                return
            if other.what == "text" and one.what in ("actual", "predicted") and not self.is_class(other.name):
                raise self.fail(f"there is no class {other.name}", at)
        kinds = [self.kind(left), self.kind(right)]
        if kinds[0] != kinds[1]:
            literal = right.what in LITERALS or left.what not in LITERALS
            one, at = (left, right_at) if literal else (right, left_at)
            raise self.fail(f"{_called(one)} is a {self.kind(one)}", at)


def _called(o: Operand) -> str:
    return o.name if o.what == "field" else o.what


def _tokens(text: str) -> list[_Token]:
    out, at = [], 0
    while at < len(text.rstrip()):
        found = _TOKEN.match(text, at)
        assert found is not None
        kind = found.lastgroup or "other"
        if kind == "other":
            start = found.start("other")
            why = "this text has no end" if text[start] in '"`' else f"“{text[start]}” is not understood"
            raise ConditionError(text, start, why)
        out.append(_Token(kind, found[kind], found.start(kind)))
        at = found.end()
    return [*out, _Token("end", "", len(text))]


def _unquoted(text: str) -> str:
    return re.sub(r'\\(["\\])', r"\1", text[1:-1])


def quoted(text: str) -> str:
    """A text as it is written in a condition.

    Examples
    --------
    >>> print(quoted('said "no"'))
    "said \\"no\\""
    """
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def written(n: Node) -> str:
    """A condition as text: the same whenever the same is meant, with no more parentheses than it takes.

    Examples
    --------
    >>> written(parse("((`in` = 1)) and not not right", Names({"in": "number"})).tree)
    '`in` = 1 and not not right'
    """
    if n.op in ("or", "and"):
        return f" {n.op} ".join(_inside(p, n.op) for p in n.parts)
    if n.op == "not":
        return f"not {_inside(n.parts[0], 'not')}"
    if n.op in ("mark", "named"):
        return f"{n.op} {quoted(n.operands[0].name)}"
    if n.op == "right":
        return f"right{_of(n.operands[0])}"
    said = [_operand(o) for o in n.operands]
    if n.op == "in":
        return f"{said[0]} in ({', '.join(said[1:])})"
    if n.op == "between":
        return f"{said[0]} between {said[1]} and {said[2]}"
    return f"{said[0]} is absent" if n.op == "absent" else f"{said[0]} {n.op} {said[1]}"


def _inside(n: Node, op: str) -> str:
    loose = {"or": (), "and": ("or",), "not": ("or", "and")}[op]
    return f"({written(n)})" if n.op in (*loose, *((op,) if op != "not" else ())) else written(n)


def _operand(o: Operand) -> str:
    if o.what == "field":
        return field_written(o.name)
    if o.what == "text":
        return quoted(o.name)
    if o.what == "number":
        return str(int(o.number)) if o.number.is_integer() and abs(o.number) < 1e15 else repr(o.number)
    return f"{o.what}{_of(o)}"


def field_written(name: str) -> str:
    """A field as it is written in a condition.

    Examples
    --------
    >>> field_written("ward"), field_written("girth in cm"), field_written("in")
    ('ward', '`girth in cm`', '`in`')
    """
    return name if re.fullmatch(r"[^\W\d]\w*", name) and name not in WORDS else f"`{name}`"


def _told_of(n: Node, whose: str) -> Node:
    said = tuple(replace(o, of=o.of or whose) if o.what in ("predicted", "score") else o for o in n.operands)
    return replace(n, parts=tuple(_told_of(p, whose) for p in n.parts), operands=said)


def _of(o: Operand) -> str:
    if o.of is None:
        return ""
    return f"({o.of})" if re.fullmatch(r"[A-Z]+", o.of) else f"({quoted(o.of)})"


def _all(n: Node) -> list[Node]:
    return [n, *(x for p in n.parts for x in _all(p))]
