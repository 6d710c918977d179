"""One table of actions: it feeds menus, shortcuts, the action search and the help."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class ActionEntry:
    """An action's id, title, shortcut and menu; `is_switch` for those that are on or off."""

    id: str
    title: str
    shortcut: str
    menu: str
    is_switch: bool = False
    starts_on: bool = False


ACTIONS: tuple[ActionEntry, ...] = (
    ActionEntry("new", "New job", "Ctrl+N", "Job"),
    ActionEntry("open", "Open job…", "Ctrl+O", "Job"),
    ActionEntry("demo_metal", "Demo: metal build", "", "Job"),
    ActionEntry("demo_vat", "Demo: vat build", "", "Job"),
    ActionEntry("demo_extrusion", "Demo: extrusion build", "", "Job"),
    ActionEntry("demo_belt", "Demo: belt build", "", "Job"),
    ActionEntry("recovered", "Recovered jobs…", "", "Job"),
    ActionEntry("save", "Save", "Ctrl+S", "Job"),
    ActionEntry("save_as", "Save as…", "Ctrl+Shift+S", "Job"),
    ActionEntry("import", "Import parts…", "Ctrl+I", "Job"),
    ActionEntry("batch", "Support a folder of files…", "", "Job"),
    ActionEntry("new_build", "New build of this job", "", "Job"),
    ActionEntry("board", "Build board…", "Ctrl+Shift+B", "Job"),
    ActionEntry("export", "Export files…", "Ctrl+E", "Job"),
    ActionEntry("save_map", "Save the underside map…", "", "Job"),
    ActionEntry("quit", "Quit", "Ctrl+Q", "Job"),
    ActionEntry("undo", "Undo", "Ctrl+Z", "Edit"),
    ActionEntry("redo", "Redo", "Ctrl+Shift+Z", "Edit"),
    ActionEntry("copy", "Copy part", "Ctrl+D", "Edit"),
    ActionEntry("copy_in_place", "Copy part in place", "Ctrl+Shift+D", "Edit"),
    ActionEntry("delete", "Delete selection", "Del", "Edit"),
    ActionEntry("arrange", "Arrange all parts", "", "Edit"),
    ActionEntry("support_all", "Support all regions of the part", "Ctrl+B", "Edit"),
    ActionEntry("sets", "Parameter sets…", "Ctrl+L", "Edit"),
    ActionEntry("do_next", "Do the next step", "Ctrl+J", "Edit"),
    ActionEntry("palette", "Find an action…", "Ctrl+K", "Edit"),
    ActionEntry("below", "Look from below", "B", "View", is_switch=True),
    ActionEntry("fit", "Fit view", "Home", "View"),
    ActionEntry("look_front", "From the front", "Ctrl+1", "View"),
    ActionEntry("look_right", "From the right", "Ctrl+2", "View"),
    ActionEntry("look_top", "From the top", "Ctrl+3", "View"),
    ActionEntry("look_below", "Straight from below", "Ctrl+4", "View"),
    ActionEntry("look_corner", "From the corner", "Ctrl+5", "View"),
    ActionEntry("section", "Section plane", "X", "View", is_switch=True),
    ActionEntry("map", "Underside map", "U", "View", is_switch=True),
    ActionEntry("swap_map", "Swap map and view", "Shift+U", "View"),
    ActionEntry("fit_map", "Fit map", "Ctrl+Home", "View"),
    ActionEntry("vertical", "Angles from the vertical", "", "View", is_switch=True),
    ActionEntry("inches", "Lengths in inches", "", "View", is_switch=True),
    ActionEntry("measure", "Measure", "M", "View", is_switch=True),
    ActionEntry("show_plate", "Show the plate", "G", "View", is_switch=True, starts_on=True),
    ActionEntry("show_parts", "Show the parts", "H", "View", is_switch=True, starts_on=True),
    ActionEntry("show_supports", "Show the supports", "J", "View", is_switch=True, starts_on=True),
    ActionEntry("next_step", "Show the next step", "", "View", is_switch=True, starts_on=True),
    ActionEntry("night", "Dark theme", "", "View", is_switch=True),
    ActionEntry("recompute", "Resume cancelled computing", "F5", "Edit"),
    ActionEntry("keys", "Keys and gestures", "F1", "Help"),
    ActionEntry("whats_new", "What is new", "", "Help"),
    ActionEntry("about", "About", "", "Help"),
)
MENUS = ("Job", "Edit", "View", "Stations", "Help")
SEPARATED_BEFORE = {
    "demo_metal",
    "save",
    "import",
    "quit",
    "copy",
    "palette",
    "section",
    "show_plate",
    "night",
    "recompute",
}
