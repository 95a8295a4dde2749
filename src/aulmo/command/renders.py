"""The command line's `renders`: the same list that the window shows, read and steered without one."""

import argparse
import getpass
import json
import sys
from pathlib import Path
from typing import Any

import platformdirs
from msgspec.structs import replace

from aulmo.errors import BadValue


def folder_of(arguments: argparse.Namespace) -> Path:
    """The list that is meant: the artist's own, or another folder."""
    return Path(arguments.list) if arguments.list else Path(platformdirs.user_data_dir("aulmo")) / "renders"


def renders(arguments: argparse.Namespace) -> int:
    """`renders [show|pause|go-on|stop|again|first|earlier|later|at|remove|add|helpers|halt|resume|work] [ID|PROJECT] ...`."""
    from aulmo.deliver import job as job_module, runner, waking

    folder = folder_of(arguments)
    words: list[str] = list(arguments.words)
    what = words.pop(0) if words else "show"
    if what == "show":
        _show(job_module.jobs(folder), arguments.json)
        return 0
    if what in ("halt", "resume"):
        rules = waking.rules(folder)
        waking.set_rules(folder, replace(rules, halt=what == "halt"))
        if what == "resume":
            waking.wake(folder)
        print("Nothing else begins." if what == "halt" else "Goes on.")
        return 0
    if what == "helpers":
        return _helpers(folder, words)
    if what == "work":
        runner.run(folder)
        return 0
    if what == "add":
        return _add(folder, words, arguments)
    known = ("pause", "go-on", "stop", "again", "first", "earlier", "later", "at", "remove")
    if what not in known:
        raise BadValue(f"“{what}” is nothing that can be done with renders; there is show, {', '.join(known)}, add, helpers, halt, resume and work.")
    if not words:
        raise BadValue(f"Say which render to {what}, by the name that `aulmo renders` shows.")
    job = _named(job_module.jobs(folder), words[0])
    if what == "pause":
        job.pause()
    elif what == "go-on":
        job.go_on()
    elif what == "stop":
        job.cancel()
    elif what == "again":
        job = job.again()
    elif what == "at":
        if len(words) < 2:
            raise BadValue("Say when it begins, as 18:30.")
        job.want(not_before=job_module.moment(words[1]))
        waking.wake(folder)
    elif what == "remove":
        job.remove()
    else:
        job_module.move(job, {"first": -100_000, "earlier": -1, "later": 1}[what])
    print(f"{job.name}: {what}")
    return 0


def _helpers(folder: Path, words: list[str]) -> int:
    from aulmo.deliver import waking
    from aulmo.deliver.machines import hub
    from aulmo.deliver.machines.roster import take_back
    from aulmo.deliver.machines.secret import secret_of

    if words[:1] in (["on"], ["off"]):
        hub.take(folder, words[0] == "on")
    elif words[:1] == ["remove"] and len(words) == 2:
        print(f"{words[1]} is let in no more ({len(take_back(folder, words[1]))} taken back).")
    elif words:
        raise BadValue("Helpers are on or off, or one is removed by its name.")
    if not waking.rules(folder).helpers:
        print("No other machine may help.")
        return 0
    address = hub.wait_for(folder)
    if not address:
        raise BadValue("The hub that helpers join could not be started; see that the network is there.")
    print(f"On each machine: aulmo {hub.invitation(folder, address)}")
    print(f"It asks for the secret the first time: {secret_of(folder)}")
    for name in hub.told(folder).get("helpers", {}).values():
        print(f"  {name}")
    return 0


def helper(arguments: argparse.Namespace) -> int:
    """`helper --join ADDRESS [--secret-file FILE]`; without a file the secret is asked for, the first time."""
    from aulmo.deliver.machines.helper import stay
    from aulmo.deliver.machines.secret import secret_of

    def secret() -> str:
        if arguments.secret_file:
            return _from_file(Path(arguments.secret_file))
        if (folder_of(arguments) / "secret").exists():
            return secret_of(folder_of(arguments))  # the list is of this machine
        try:
            said = getpass.getpass("The list’s secret: ") if sys.stdin.isatty() else sys.stdin.readline()
        except (EOFError, ValueError, AttributeError):
            said = ""
        if not said.strip():
            raise BadValue("The list’s secret is wanted the first time; `aulmo renders helpers` and Render show it.")
        return said.strip()

    return stay(arguments.join, secret, lambda text: print(text, flush=True))


def _from_file(path: Path) -> str:
    """The secret in a file that nobody else may read."""
    try:
        if path.stat().st_mode & 0o077:
            raise BadValue(f"{path.name} can be read by others; say chmod 600 to it first.")
        return path.read_text().strip()
    except (OSError, ValueError) as error:
        raise BadValue(f"{path.name} could not be read: {error}.") from None


def _add(folder: Path, words: list[str], arguments: argparse.Namespace) -> int:
    from aulmo.command.words import frame_size, stopped_at
    from aulmo.deliver.job import Job, by_names
    from aulmo.deliver.picture_file import type_of
    from aulmo.deliver.stills import shot_of
    from aulmo.document import variants
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words

    if len(words) != 1 or not arguments.out:
        raise BadValue("Write it as `aulmo renders add PROJECT --out FILE`.")
    document, assets = load(Path(words[0]))
    choices = from_words(document, arguments.variant or "")
    shot = shot_of(document, choices, arguments.shot)
    out = Path(arguments.out).resolve()
    kind = type_of(out, arguments.file_type)
    from msgspec.structs import replace

    settings = replace(stopped_at(document.render, arguments), file_type=kind)
    size = frame_size(arguments.size) if arguments.size else (shot.width, shot.height)
    chosen = by_names(document, {a.id: c.id for a, c in variants.picked(document, {**choices, "shot": shot.id})})
    job = Job.start(document, assets, shot, size, settings, out, folder, arguments.at, chosen, Path(words[0]).resolve())
    print(f"{job.name}: {job.record.title} to {job.record.out}")
    return 0


def _named(found: list, name: str) -> Any:
    fits = [job for job in found if job.name == name] or [job for job in found if name in job.name]
    if not fits:
        raise BadValue(f"There is no render named {name}.")
    if len(fits) > 1:
        raise BadValue(f"Several renders are named like {name}: {', '.join(j.name for j in fits[:4])}.")
    return fits[0]


def _show(found: list, as_json: bool) -> None:
    from aulmo.deliver.troubles import told as in_words
    from aulmo.document.quantity import duration

    if as_json:
        told = [
            {"id": j.name, "outcome": j.outcome, "title": j.record.title, "kind": j.record.kind, "out": j.record.out,
             **({"trouble": j.trouble.sentence} if j.trouble is not None else {}), **j.state(), **j.result()}
            for j in found
        ]  # fmt: skip
        print(json.dumps(told, indent=1))
        return
    if not found:
        print("Nothing rendered yet.")
    for job in found:
        state, words = job.state(), job.outcome
        if words == "running" and state:
            words = f"{100 * state.get('share', 0):.0f} %" + (f", {duration(state['seconds_left'])} left" if state.get("seconds_left") else "")
        elif words == "waiting" and (trouble := job.trouble) is not None:
            words = f"waiting: {in_words(trouble)}"
        elif words in ("failed", "broken"):
            words = f"{words}: {job.complaint()}"
        print(f"{job.name}  {words:<12}  {job.record.title}  {job.record.out}")
