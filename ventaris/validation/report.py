"""Run the cases and write the report."""
import platform
import re
import time
from pathlib import Path

from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure

from .bodies import CASES as BODIES
from .cases import CASES, VERSION
from .noise import CASES as NOISE
from .nozzles import CASES as NOZZLES
from .rows import CASES as ROWS
from .wings import CASES as WINGS

PENS = {
    "computed": dict(color="#0E4B45", lw=1.6), "reference": dict(color="#C77700", lw=0, marker="o", ms=2.6,
                                                                 mfc="none")
}
DASHES = ("-", (0, (4, 1.5)), (0, (1, 1)))
HEAD = """# Validation report

Written by `ventaris validate`; every number below was computed by this program on the machine named at the
end. A case is accepted when each of its numbers lies in the interval given, which comes from theory or from
published solutions, never from our own results.

"""


def write_report(path, only=("", ), echo=lambda line: None, update=False):
    """Run the cases, write the report and its pictures.

    Parameters
    ----------
    path : Path
        The report; pictures go to a folder ``figures`` beside it.
    only : sequence of str
        Run only cases whose key contains one of these. A report is written where all of its cases were run:
        ``body-`` runs those of the report about bodies, which stands beside the one about sections, as do
        those about nozzles and noise.
    update : bool
        Where only some of a report's cases were run, put them in place of what the report says of them.

    Returns
    -------
    bool
        Whether every case was accepted.
    """
    path = Path(path)
    done = []
    for key, case in CASES.items():
        if not any(word in key for word in only):
            continue
        started = time.monotonic()
        result = case()
        result.seconds = result.seconds or time.monotonic() - started
        done.append(result)
        echo(f"{'accepted' if result.passed else 'REFUSED ':8s} {result.title} ({result.seconds:.1f} s)")
        for check in result.checks:
            outside = "" if check.passed else "   <-- outside" + (", known" if check.open_since else "")
            echo(f"    {check.name} = {check.value:.6g}, accepted {check.low:g} to {check.high:g}{outside}")
    others = [(path.with_name(f"{path.stem}-{name}.md"), list(cases), f"report: {title}")
              for name, cases, title in (("bodies", BODIES | WINGS, "bodies in space"),
                                         ("nozzles", NOZZLES, "nozzles, cones and bodies of revolution"),
                                         ("noise", NOISE, "jets in time and their noise"),
                                         ("rows", ROWS, "blade rows"))]
    apart = {key for _, keys, _ in others for key in keys}
    for target, keys, title in ((path, [k for k in CASES if k not in apart], "report"), *others):
        mine = [case for case in done if case.key in keys]
        if len(mine) == len(keys):
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text(
                HEAD.replace("report", title, 1) + _summary(mine) +
                "".join(_section(path, case) for case in mine) + _machine())
            echo(f"wrote {target}")
        elif mine and update and target.exists():
            target.write_text(
                _updated(target.read_text(), keys,
                         {case.key: (_row(case), _section(path, case))
                          for case in mine}))
            echo(f"updated {target}")
    return all(case.passed for case in done)


def _summary(done):
    lines = ["| case | accepted | time |", "|---|---|---|"]
    return "\n".join(lines + [_row(case) for case in done]) + "\n\n"


def _row(case):
    return f"| [{case.title}](#{case.key}) | {_accepted(case)} | {case.seconds:.1f} s |"


def _updated(text, keys, fresh):
    """A report with the rows and sections of some cases, {key: (row, section)}, in place of its own or at
    their place in `keys`."""
    body, rule, foot = text.rpartition("---\n")
    head, *sections = re.split(r'(?=^<a id=")', body, flags=re.MULTILINE)
    kept = {re.match(r'<a id="([^"]+)"', section)[1]: section for section in sections}
    rows = {re.search(r"\(#([^)]+)\)", line)[1]: line for line in head.splitlines() if "](#" in line}
    kept |= {key: section for key, (_, section) in fresh.items()}
    rows |= {key: row for key, (row, _) in fresh.items()}
    intro = head[:head.index("|---|---|---|\n") + len("|---|---|---|\n")]
    return intro + "\n".join(rows[key] for key in keys if key in rows) + "\n\n" + "".join(
        kept[key] for key in keys if key in kept) + rule + foot


def _accepted(case):
    if not case.passed:
        return "**no**"
    return "yes" if all(c.passed for c in case.checks) else "**in part**"


def _section(path, case):
    lines = [
        f'<a id="{case.key}"></a>', "", f"## {case.title}", "",
        case.setup.rstrip(".") + ".", "", "| number | computed | accepted | source |", "|---|---|---|---|"
    ]
    for c in case.checks:
        lines.append(
            f"| {c.name} | {'' if c.passed else '**'}{c.value:.5g}{'' if c.passed else ' (outside)**'} | "
            f"{c.low:g} … {c.high:g} | {c.source} |")
    lines += [f"\n**Open.** {c.name}: {c.open_since}" for c in case.checks if c.open_since and not c.passed]
    for name, trend in case.trends.items():
        values = ", ".join(f"{v:.5f}" for v in trend.values)
        extra = f"; extrapolated {trend.extrapolated:.5f}" if trend.extrapolated is not None else ""
        bar = f"; error bar ± {trend.error:.5f}" if trend.error is not None else ""
        lines += [
            "", f"Grid trend of {name} (coarse, medium, fine): {values}. "
            f"{trend.words}{extra.replace('; e', ' E', 1)}{bar}."
        ]
    if case.curves or case.draw:
        picture = path.parent / "figures" / f"{case.key}.svg"
        picture.parent.mkdir(exist_ok=True)
        _draw(case, picture)
        lines += ["", f"![{case.title}](figures/{case.key}.svg)"]
    return "\n".join(lines) + "\n\n"


def _draw(case, path):
    figure = Figure(figsize=(6.4, 3.6), facecolor="#FFFEFB", layout="constrained")
    axes = figure.add_subplot(facecolor="#FFFEFB")
    if case.draw:
        case.draw(axes)
        FigureCanvasSVG(figure).print_svg(path, metadata={"Date": None, "Creator": "Ventaris"})
        return
    for number, (label, x, y, style) in enumerate(case.curves):
        pen = dict(PENS[style])
        if style == "computed" and "lower" in label:
            pen["ls"] = "--"
        elif style == "computed" and sum(c[3] == "computed" for c in case.curves) > 2:
            pen["ls"] = DASHES[number % len(DASHES)]
        axes.plot(x, y, label=label, **pen)
    axes.set_xlabel(case.axes[0])
    axes.set_ylabel(case.axes[1])
    if case.axes[1] == "Cp":
        axes.invert_yaxis()
    if case.key == "order":
        axes.loglog()
    axes.grid(color="#EBE7DC")
    axes.legend(frameon=False, fontsize=8)
    FigureCanvasSVG(figure).print_svg(path, metadata={"Date": None, "Creator": "Ventaris"})


def _machine():
    return (f"---\nVentaris {VERSION}, Python {platform.python_version()}, {platform.machine()}, two cores; "
            "times include the coarse and medium levels.\n")
