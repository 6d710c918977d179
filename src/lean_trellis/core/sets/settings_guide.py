"""Every setting of every family as a page of the user guide, made from the parameters' own declarations."""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.supports.common.parameters import QUESTIONS, Declared
from lean_trellis.core.supports.common.spec import families

_HEAD = """# Settings of supports

Made from the program itself by `./trellis record`: every value of every family, in the order of its form. The key in
brackets is the one of files and of `--param`. At Supports a drawing of the value shows beside its field.
"""


def settings_page() -> str:
    """The page in Markdown."""
    lines = [_HEAD]
    for spec in families():
        lines.append(f"## {spec.title}\n")
        declared = spec.model.declared()
        for question, words in QUESTIONS.items():
            asked = [one for one in declared if one.question == question]
            if asked:
                lines.append(f"### {words}\n")
                lines += [line for one in asked for line in _described(one)]
                lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _described(one: Declared) -> Iterator[str]:
    yield f"- **{one.label}** (`{one.key}`{_range(one)}): {one.help}{_choices(one)}{_consequences(one)}"


def _range(one: Declared) -> str:
    unit = f" {one.unit}".rstrip() if one.unit != "°" else "°"
    if one.least is not None and one.most is not None:
        return f", {one.least:g} to {one.most:g}{unit}"
    return f",{unit}" if one.unit else ""


def _choices(one: Declared) -> str:
    if not one.choices:
        return ""
    return " Choices: " + ", ".join(f"`{key}` {words.lower()}" for key, words in
                                    zip(one.choices, one.choice_words, strict=True)) + "."  # fmt: skip


def _consequences(one: Declared) -> str:
    said = (("Too small", one.too_small), ("Too large", one.too_large), ("Cost", one.cost))
    return "".join(f" *{words}:* {text}" for words, text in said if text)
