"""What controls are called that have no words of their own, for screen readers."""

from __future__ import annotations

import re

from PyQt6.QtCore import QRegularExpression
from PyQt6.QtWidgets import QWidget

_NAMES = {
    "arrange.step": "Turning steps while arranging",
    "copies.columns": "Columns of the grid",
    "copies.gap": "Gap between copies",
    "copies.rows": "Rows of the grid",
    "figures.colour": "Colour bars by",
    "figures.worst": "Ten most loaded bars",
    "islands.table": "Islands",
    "left_out.table": "Self-supporting regions",
    "loads.colour": "Colour supports by",
    "loads.worst": "Ten most loaded contacts",
    "machine.own.name": "Name of your own machine",
    "machine.value": "New machine value",
    "machine.values": "Machine values",
    "material.own.name": "Name of your own material",
    "material.value": "New material value",
    "material.values": "Material values",
    "overhangs.table": "Regions",
    "parts.faults": "Mesh faults",
    "parts.filter": "Filter the parts",
    "parts.grouping": "Group the parts",
    "parts.mend.step": "Repair step",
    "parts.table": "Parts of the build",
    "pose.clearance": "Clearance to the part below",
    "pose.frame": "Turn about",
    "pose.pivot": "Pivot",
    "pose.target": "Align against",
    "protect.level": "Kind of protection",
    "protect.size": "Detail smaller than, mm",
    "release.table": "Findings",
    "section.axis": "Direction of the section plane",
    "section.place": "Place of the section plane, mm",
    "section.slider": "Place of the section plane",
    "setup.fitting": "Fitted tray or vat",
    "setup.lot": "Lot number",
    "setup.surface": "Plate surface",
    "shapes.posts": "Posts",
    "size.measured": "Measured length, mm",
    "size.wanted": "Wanted length, mm",
    "stack.count": "Parts in the stack",
    "stack.filling": "Filling between the parts",
    "stack.gap": "Gap between the parts",
    "stack.material": "Material of the separator",
    "stack.unit": "Unit of the gap",
    "status.next": "Next step",
    "supports.table": "Supports of the part",
    "traveller.parts": "Parts on the plate",
}
_SIZE_WORDS = {"scale": "Scale", "print": "Shrinkage of the print", "later": "Shrinkage when cast or sintered"}


def name_controls(window: QWidget) -> None:
    """Give every control of a window that has a name for programs one for people, too."""
    sizes = {f"size.{kind}.{axis}": f"{words} along {axis.upper()}"
             for kind, words in _SIZE_WORDS.items() for axis in "xyz"}  # fmt: skip
    named = _NAMES | sizes
    one_of_them = QRegularExpression(f"^({'|'.join(re.escape(name) for name in named)})$")
    for control in window.findChildren(QWidget, one_of_them):  # sorted out before they are made objects of Python
        if not control.accessibleName():
            control.setAccessibleName(named[control.objectName()])
