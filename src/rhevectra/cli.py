"""The command line: the same services as the window, without one."""

import argparse
import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from rhevectra import __version__
from rhevectra.core.basis.errors import InputError

DONE, DEFECT, WRONG, INFEASIBLE = 0, 1, 2, 3
_COMMANDS = ("size", "contest", "explore", "netlist", "steady", "report", "schema")


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> Any:
        raise InputError("usage", message, "rhevectra --help")


def _loaded(path: str) -> tuple[Any, Any]:
    """Document and catalogue of a project file; an unknown key is told once."""
    from rhevectra.project.store import catalogue_for, load

    document = load(path)
    for name in document.unknown[:1]:
        more = f" and {len(document.unknown) - 1} more" if len(document.unknown) > 1 else ""
        print(f"{path}: {name}{more}: unknown key, kept and not used", file=sys.stderr)
    return document, catalogue_for(document, path)


def _designed(path: str) -> tuple[Any, Any, float]:
    from rhevectra.core.design.size import size

    document, catalogue = _loaded(path)
    start = time.perf_counter()
    try:
        design = size(document.requirement, document.decisions, document.as_built, catalogue)
    except InputError as problem:
        raise InputError(f"{Path(path).name}: {problem.where}", problem.wrong, problem.accepted) from None
    return document, design, time.perf_counter() - start


def _size(args: argparse.Namespace) -> int:
    from rhevectra.app import summary
    from rhevectra.core.design.freeing import with_pins_tried

    _, design, elapsed = _designed(args.project)
    if args.explain:
        print("\n".join(summary.explanation(design, args.explain)))
    else:
        design = with_pins_tried(design)
        print(json.dumps(summary.as_json(design, elapsed), ensure_ascii=False, allow_nan=False) if args.json
              else "\n".join(summary.lines(design, elapsed)))
    return DONE if design.feasible else INFEASIBLE


def _contest(args: argparse.Namespace) -> int:
    from rhevectra.app import contest

    document, catalogue = _loaded(args.project)
    start = time.perf_counter()
    try:
        entries = contest.run(document.requirement, document.decisions, catalogue)
    except InputError as problem:
        raise InputError(f"{Path(args.project).name}: {problem.where}", problem.wrong, problem.accepted) from None
    elapsed = time.perf_counter() - start
    print(json.dumps(contest.as_json(entries, elapsed), ensure_ascii=False, allow_nan=False) if args.json
          else "\n".join(contest.lines(entries, elapsed)))
    return DONE if any(e.feasible for e in entries) else INFEASIBLE


def _explore(args: argparse.Namespace) -> int:
    from rhevectra.app import explore
    from rhevectra.core.explore.space import axes_of

    count = explore.USUAL if args.designs is None else args.designs
    if not explore.LEAST <= count <= explore.MOST_DESIGNS:
        raise InputError("--designs", f"{count} is no number of designs", f"{explore.LEAST} to {explore.MOST_DESIGNS}")
    if args.workers is not None and not 1 <= args.workers <= explore.WORKERS_MOST:
        raise InputError("--workers", f"{args.workers} is no number of processes", f"1 to {explore.WORKERS_MOST}")
    document, design, _ = _designed(args.project)
    axes, start, entries = axes_of(design), time.perf_counter(), []
    for done, total, entry in explore.explore_steps(document.requirement, {**design.pins, "topology": design.topology}, axes, count,
                                                    design.catalogue, args.workers, args.scheduler):
        entries.append(entry)
        if sys.stderr.isatty():
            print(f"\r{done} of {total} designs", end="\n" if done == total else "", file=sys.stderr)
    elapsed = time.perf_counter() - start
    print(json.dumps(explore.as_json(entries, axes, elapsed), ensure_ascii=False, allow_nan=False) if args.json
          else "\n".join(explore.lines(entries, axes, elapsed)))
    return DONE if any(e.feasible for e in entries) else INFEASIBLE


def _netlist(args: argparse.Namespace) -> int:
    from rhevectra.app.netlist import netlist_text
    from rhevectra.project.store import write_text

    _, design, _ = _designed(args.project)
    write_text(args.output, netlist_text(design, args.line, args.load, args.bus))
    return DONE if design.feasible else INFEASIBLE


def _steady(args: argparse.Namespace) -> int:
    from rhevectra.app.steady import run, waveforms
    from rhevectra.core.circuit.parts import NoSteadyState
    from rhevectra.core.circuit.read import number
    from rhevectra.core.circuit.steady import UNSTABLE
    from rhevectra.project.store import write_text

    period = number(args.period, 0)
    if period <= 0:
        raise InputError("--period", f"{args.period!r} is no period", "a time above zero in s, such as 10u")
    path = Path(args.netlist)
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as problem:
        raise InputError(path.name, f"cannot be read ({getattr(problem, 'strerror', 'not UTF-8 text')})", "a readable netlist") from None
    try:
        data, found = run(text, period)
    except InputError as problem:
        raise InputError(f"{path.name}, {problem.where}", problem.wrong, problem.accepted) from None
    except NoSteadyState as problem:
        print(f"rhevectra: {path.name}: {problem}", file=sys.stderr)
        if args.json:
            print(json.dumps({"period": period, "converged": False, "reason": str(problem)}, ensure_ascii=False))
        return INFEASIBLE
    if data["multiplier"] > UNSTABLE:
        print(f"rhevectra: {path.name}: this period does not last: a small disturbance grows by {data['multiplier']:.3g} in each",
              file=sys.stderr)
    if args.csv:
        write_text(args.csv, waveforms(found))
    if args.json:
        print(json.dumps(data, ensure_ascii=False, allow_nan=False))
    else:
        print(f"period {period:.6g} s · residual {data['residual']:.1e} · {data['events']} events · {data['elapsed'] * 1e3:.1f} ms")
        for name, q in data["elements"].items():
            print(f"{name:12} i avg {q['i']['avg']:12.5g}  rms {q['i']['rms']:12.5g}  peak "
                  f"{max(abs(q['i']['min']), abs(q['i']['max'])):12.5g} A   v avg {q['v']['avg']:12.5g}  rms {q['v']['rms']:12.5g} V")
    return DONE


def _report(args: argparse.Namespace) -> int:
    from rhevectra.app import bringup, parts, ratings
    from rhevectra.project.store import write_text

    if all(x is None for x in (args.output, args.winding, args.parts, args.ratings, args.bringup)):
        raise InputError("usage", "report writes at least one file",
                         "-o OUT.pdf, --winding OUT.pdf, --parts OUT.csv, --ratings OUT.csv, --bringup OUT.csv")
    document, design, _ = _designed(args.project)
    if args.parts is not None:
        write_text(args.parts, parts.as_csv(design))
    if args.ratings is not None:
        write_text(args.ratings, ratings.as_csv(design))
    if args.bringup is not None:
        write_text(args.bringup, bringup.as_csv(design, document.log))
    if args.output is not None:
        args.write_dossier(design, document.title, Path(args.output))
    if args.winding is not None:
        args.write_winding(design, document.title, Path(args.winding))
    return DONE if design.feasible else INFEASIBLE


def _schema(args: argparse.Namespace) -> int:
    from rhevectra.project.codec import schema

    print(json.dumps(schema(), indent=1, ensure_ascii=False))
    return DONE


def parser() -> argparse.ArgumentParser:
    """The commands and their arguments."""
    top = _Parser(prog="rhevectra", description="Size mains-powered isolated converters.")
    top.add_argument("--version", action="version", version=f"rhevectra {__version__}")
    sub = top.add_subparsers(dest="command", parser_class=_Parser)
    s = sub.add_parser("size", help="design, print figures and findings")
    s.add_argument("project")
    s.add_argument("--json", action="store_true")
    s.add_argument("--explain", metavar="ID")
    s.set_defaults(run=_size)
    c = sub.add_parser("contest", help="every topology designed for the requirement, ranked")
    c.add_argument("project")
    c.add_argument("--json", action="store_true")
    c.set_defaults(run=_contest)
    e = sub.add_parser("explore", help="many designs around the project's, and those that none beats in loss, cores and cost")
    e.add_argument("project")
    e.add_argument("--designs", type=int, metavar="N", help="how many (default: some hundreds)")
    e.add_argument("--json", action="store_true")
    where = e.add_mutually_exclusive_group()
    where.add_argument("--workers", type=int, metavar="N", help="processes (default: one for each processor)")
    where.add_argument("--scheduler", metavar="ADDRESS", help="a cluster's scheduler in their place, such as tcp://host:8786")
    e.set_defaults(run=_explore)
    _what_leaves(sub)
    sub.add_parser("schema", help="JSON Schema of the project file").set_defaults(run=_schema)
    return top


def _what_leaves(sub: "argparse._SubParsersAction[_Parser]") -> None:
    """The commands that write a netlist or paper, and the one that reads a netlist."""
    n = sub.add_parser("netlist", help="the design as a SPICE netlist")
    n.add_argument("project")
    n.add_argument("--line", type=float, metavar="V", help="mains rms or dc input (default: lowest line)")
    n.add_argument("--load", type=float, default=1.0, metavar="F", help="share of full load (default 1)")
    n.add_argument("--bus", choices=("valley", "peak"), default="valley", help="bus at its valley or crest (default valley)")
    n.add_argument("-o", dest="output", required=True, metavar="OUT.cir")
    n.set_defaults(run=_netlist)
    t = sub.add_parser("steady", help="periodic steady state of a netlist")
    t.add_argument("netlist", metavar="NETLIST.cir")
    t.add_argument("--period", required=True, metavar="T", help="in s, or with a suffix such as 10u")
    t.add_argument("--json", action="store_true")
    t.add_argument("--csv", metavar="OUT", help="waveforms of all nodes and elements over one period")
    t.set_defaults(run=_steady)
    r = sub.add_parser("report", help="what is handed on: the design on paper, winding sheet, parts list, ratings")
    r.add_argument("project")
    r.add_argument("-o", dest="output", metavar="OUT.pdf",
                   help="the whole design: requirement, stages with pictures, decisions and figures, ratings, parts, winding sheet")
    r.add_argument("--ratings", metavar="OUT.csv",
                   help="every figure with a limit: worst value, margin, corner, where the limit comes from")
    r.add_argument("--bringup", metavar="OUT.csv",
                   help="bringing the made supply up: steps, readings and the bands they should lie in, with what was read")
    r.add_argument("--parts", metavar="OUT.csv", help="parts of the power path and their count")
    r.add_argument("--winding", metavar="OUT.pdf",
                   help="pages for the maker of the transformer, its board and the inductors; OUT.txt: its steps as a table")
    r.set_defaults(run=_report)


def _window_arguments(argv: list[str]) -> argparse.Namespace:
    window = _Parser(prog="rhevectra")
    window.add_argument("project", nargs="?")
    window.add_argument("--demo", nargs="?", const="")
    window.add_argument("--shot", metavar="FILE.png")
    return window.parse_args(argv)


Opener = Callable[[str | None, str | None, str | None], int]
"""Opens the window: project file, demo name, file for a picture of the window; returns the exit code."""
Shooter = Callable[[Path], int]
"""Takes pictures of all views into a folder."""
Writer = Callable[[Any, str, Path], None]
"""Writes the winding sheet or the dossier of a design with a title to a file."""


def main(argv: list[str] | None = None, open_window: Opener | None = None, take_shots: Shooter | None = None,
         write_winding: Writer | None = None, write_dossier: Writer | None = None) -> int:
    """Run one command, or hand over to the window where no command is named; returns the exit code of the contract."""
    words = sys.argv[1:] if argv is None else argv
    try:
        if words and (words[0] in _COMMANDS or words[0] in ("--version", "-h", "--help")):
            args = parser().parse_args(words)
            args.write_winding, args.write_dossier = write_winding, write_dossier
            run: Callable[[argparse.Namespace], int] = args.run
            return run(args)
        if words and words[0] == "shots":
            if len(words) != 2 or take_shots is None:
                raise InputError("usage", "shots takes one folder", "rhevectra shots DIR")
            return take_shots(Path(words[1]))
        window = _window_arguments(words)
        if open_window is None:
            raise InputError("usage", "no command named", ", ".join((*_COMMANDS, "shots")))
        return open_window(window.project, window.demo, window.shot)
    except InputError as problem:
        print(f"rhevectra: {problem}".replace("\n", " "), file=sys.stderr)
        return WRONG
    except BrokenPipeError:
        return DONE
    except Exception as problem:
        print(f"rhevectra: a defect of ours ({type(problem).__name__}: {problem}); please report it with the project file", file=sys.stderr)
        return DEFECT
