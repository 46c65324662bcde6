"""Every command as data: menus, palette, shortcuts page and tests are made from this one list."""

from msgspec import Struct


class Command(Struct, frozen=True):
    """id, title, menu, shortcut (empty for none), the window's method that does it, and what it does in one line."""

    id: str
    title: str
    menu: str
    keys: str
    method: str
    tip: str


COMMANDS = (
    Command("project.new", "New project", "Project", "Ctrl+N", "new_project", "an empty requirement to fill in on the Ask desk"),
    Command("project.open", "Open …", "Project", "Ctrl+O", "open_dialog", "open a project file"),
    Command("project.demo", "Open the demo: camera hide", "Project", "", "open_demo", "24 V, 2.5 A from wide mains: a flyback"),
    Command("project.demo_rack", "Open the demo: logger rack", "Project", "", "open_rack_demo",
            "+5 V 3 A, +15 V 0.4 A, −15 V 0.2 A from wide mains: a flyback with three outputs"),
    Command("project.demo_bench", "Open the demo: ringing lab bench", "Project", "", "open_bench_demo",
            "12 V, 15 A from 195–265 V: a two-switch forward"),
    Command("project.demo_rotator", "Open the demo: radar rotator", "Project", "", "open_rotator_demo",
            "48 V, 10 A from a 360–400 V bus: a resonant half bridge"),
    Command("project.demo_fans", "Open the demo: frost fans", "Project", "", "open_fans_demo",
            "48 V, 12 A from wide mains: a power factor stage and a resonant half bridge"),
    Command("project.save", "Save", "Project", "Ctrl+S", "save", "write the project to its file"),
    Command("project.save_as", "Save as …", "Project", "Ctrl+Shift+S", "save_dialog", "write the project to another file"),
    Command("project.compare", "Compare with a file …", "Project", "Ctrl+Shift+O", "compare_dialog",
            "figure by figure against another project; it is then held as the reference"),
    Command("project.netlist", "Export netlist …", "Project", "Ctrl+E", "export_dialog", "the power stage for a circuit simulator"),
    Command("project.winding", "Export winding sheet …", "Project", "Ctrl+Shift+E", "winding_dialog",
            "two pages a maker of the transformer winds from"),
    Command("project.dossier", "Export the design on paper …", "Project", "Ctrl+Shift+D", "dossier_dialog",
            "requirement, every stage with picture, decisions and figures, ratings, parts, winding sheet as a PDF"),
    Command("project.ratings", "Export ratings …", "Project", "", "ratings_dialog",
            "every figure with a limit: worst value, margin, corner and rule as CSV"),
    Command("project.parts", "Export parts list …", "Project", "", "parts_dialog", "parts of the power path and their count as CSV"),
    Command("project.quit", "Quit", "Project", "Ctrl+Q", "close", "leave; asks if something is not saved"),
    Command("edit.undo", "Undo", "Edit", "Ctrl+Z", "undo", "take the last edit back"),
    Command("edit.redo", "Redo", "Edit", "Ctrl+Y", "redo", "do it again"),
    Command("edit.copy", "Copy figure as text", "Edit", "Ctrl+Shift+C", "copy_figure", "the figure whose working is open"),
    Command("edit.copy_picture", "Copy picture", "Edit", "Ctrl+Shift+P", "copy_picture", "the shown picture as an image"),
    Command("edit.csv", "Export picture data …", "Edit", "", "export_csv_dialog", "the shown traces as CSV"),
    Command("decide.pin", "Pin or free the decision in focus", "Decide", "Ctrl+P", "toggle_pin", "a pinned decision never moves silently"),
    Command("decide.admit", "What would admit a smaller core?", "Decide", "Ctrl+M", "admit",
            "tries the cheapest single changes in the background"),
    Command("decide.bring_up", "Bring the made supply up", "Decide", "Ctrl+B", "bring_up",
            "safe steps in their order, each reading with the band it should lie in"),
    Command("decide.log", "Write to the bench log", "Decide", "Ctrl+L", "write_log",
            "a line of one's own; readings and benches log by themselves"),
    Command("decide.contest", "Contest of all topologies", "Decide", "Ctrl+T", "contest",
            "every topology designed for the requirement, in the order of weights"),
    Command("decide.explore", "Explore designs around this one", "Decide", "Ctrl+Shift+X", "explore",
            "hundreds of designs with other frequencies, ripple and cores, and those that none beats"),
    Command("decide.cancel", "Cancel background work", "Decide", "Ctrl+.", "cancel_job", "stop what runs in the background"),
    Command("view.find", "Find …", "View", "Ctrl+K", "search",
            "any figure, decision, picture, part, field of the requirement or command by name"),
    Command("view.hold", "Hold as reference", "View", "Ctrl+R", "hold",
            "hold the present design and see it pale behind everything; again releases it"),
    Command("view.here", "Ledger: worst or here", "View", "Ctrl+H", "toggle_here",
            "figures at their worst corner, or all at the corner of the pictures"),
    Command("view.worst", "Worst corner of all", "View", "Ctrl+W", "worst_corner",
            "move the pictures to the corner of the tightest figure"),
    Command("view.next_stage", "Next stage", "View", "Ctrl+PgDown", "next_stage", "along the energy path"),
    Command("view.previous_stage", "Previous stage", "View", "Ctrl+PgUp", "previous_stage", "back along the energy path"),
    Command("view.next_picture", "Next picture", "View", "Ctrl+Tab", "next_picture", "the next tab of the picture panel"),
    Command("view.theme", "Light or dark theme", "View", "Ctrl+D", "toggle_theme", "switch the theme; it is remembered"),
    Command("help.field", "Help on the field in focus", "Help", "F1", "help_field", "what it is, its unit and range"),
    Command("help.keys", "Keyboard shortcuts", "Help", "Shift+F1", "shortcuts", "all commands with their keys"),
    Command("help.cautions", "Cautions", "Help", "", "cautions", "before you touch anything"),
)
MENUS = ("Project", "Edit", "Decide", "View", "Help")
