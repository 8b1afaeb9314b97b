"""Verdicts of `check`: the drills that are asked for, how each ended, and their report as JUnit XML."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree

from oak_sled import __version__, terminal
from oak_sled.core.base.faults import one_line, refuse


@dataclass(frozen=True)
class Asked:
    """A drill to run. label : what it is called in the lines: with the yard where there are several."""

    where: str
    label: str
    job: Any


@dataclass(frozen=True)
class Verdict:
    """A drill that ran. word : how it ended. says : its targets in words, or why it diverged."""

    asked: Asked
    word: str
    says: str
    targets: tuple[Any, ...]
    seconds: float

    def line(self) -> str:
        """The line that is printed."""
        return (
            f"{self.word:<8}  {self.asked.label}: {self.says}"
            if self.word == "diverged"
            else (f"{self.word:<6}  {self.asked.label}: {self.says}")
        )

    def told(self) -> dict[str, Any]:
        """The same for JSON."""
        job = self.asked.job
        return {
            "version": __version__,
            "yard": self.asked.where,
            "craft": job.craft.id,
            "ground": job.ground.id,
            "drill": job.drill.id,
            "ticks": job.ticks,
            "diverged": self.word == "diverged",
            "targets": [
                {"measure": one.target.measure, "low": one.target.low, "high": one.target.high, "value": one.value,
                 "met": one.met}
                for one in self.targets
            ],
        }  # fmt: skip


def asked(where: str, yard: Any, drills: Sequence[str], rates: Sequence[int], several: bool) -> Iterator[Asked]:
    """The drills of a yard that are asked for: those that are named, else all that have targets; at each tick rate."""
    from oak_sled.core.assembly.jobs import job_of

    wanted = [yard.drill(name) for name in drills] or [drill for drill in yard.drills if drill.targets]
    for drill in wanted:
        if not drill.targets:
            raise refuse(f"drills.{drill.id}", "has no targets", "a target, or another drill")
        for rate in rates:
            job = job_of(yard.edit("ticks", rate) if rate else yard, drill)
            label = f"{where} {drill.id}" if several else drill.id
            yield Asked(where, f"{label} at {rate} ticks/s" if len(rates) > 1 else label, job)


def judged(one: Asked) -> Verdict:
    """Runs a drill and judges it."""
    from oak_sled.core.results import measures
    from oak_sled.core.results import run as runs

    began = time.perf_counter()
    made = runs.execute(one.job)
    found = tuple(measures.judge(one.job.drill, measures.Readings(made)))  # those of other crafts too
    bad = [verdict for verdict in found if not verdict.met]
    word = "diverged" if made.is_diverged else "missed" if bad else "met"
    says = made.message if made.is_diverged else "; ".join(verdict.words() for verdict in bad or found)
    return Verdict(one, word, says, found, time.perf_counter() - began)


def status_of(made: Sequence[Verdict]) -> int:
    """Exit status of all of them: that a run diverged counts more than that a target is missed."""
    words = {one.word for one in made}
    if "diverged" in words:
        return terminal.DIVERGED
    return terminal.MISSED if "missed" in words else terminal.DONE


def junit(made: Sequence[Verdict]) -> bytes:
    """The verdicts as JUnit XML: a suite for each yard, a case for each drill."""
    suites = ElementTree.Element("testsuites", name="oak-sled")
    for where in dict.fromkeys(one.asked.where for one in made):
        own = [one for one in made if one.asked.where == where]
        suite = ElementTree.SubElement(
            suites, "testsuite", name=where, tests=str(len(own)),
            failures=str(sum(one.word == "missed" for one in own)),
            errors=str(sum(one.word == "diverged" for one in own)), time=f"{sum(one.seconds for one in own):.3f}",
        )  # fmt: skip
        for one in own:
            case = ElementTree.SubElement(
                suite, "testcase", classname=one.asked.job.craft.id, name=one.asked.label, time=f"{one.seconds:.3f}"
            )
            if one.word != "met":
                kind = "failure" if one.word == "missed" else "error"
                ElementTree.SubElement(case, kind, message=one_line(one.says))
    ElementTree.indent(suites)
    return ElementTree.tostring(suites, encoding="utf-8", xml_declaration=True) + b"\n"
