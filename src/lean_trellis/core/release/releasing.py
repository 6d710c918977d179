"""A release: the gate, the files and the ticket, and where they go: a machine, or a folder.

Nothing is sent and nothing written before the gate is passed; a job is noted as released after it was accepted.
"""

from __future__ import annotations

import hashlib
import re
import tempfile
import zipfile
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from datetime import date
from functools import partial
from pathlib import Path

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.waiving import open_stops, standing_waiver
from lean_trellis.core.derive.layers import ESTIMATE, LAYERED_BUILD
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import AccessError, EditError
from lean_trellis.core.formats.archives import member
from lean_trellis.core.heavy import heavy
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.layers.machine_files import LAYER_SUFFIXES, write_layers
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.release.machines.client import MachineClient
from lean_trellis.core.release.machines.protocol import MANIFEST, Manifest, SentBody
from lean_trellis.core.release.ticket.contents import TicketContents, TicketFile
from lean_trellis.core.release.ticket.gathering import TicketWish, ticket_contents
from lean_trellis.core.release.written_volume import written_volume
from lean_trellis.core.supports.common.request import line_width

_PIECE = 1 << 20


@dataclass(frozen=True)
class ReleaseWish:
    """What a release takes besides the job: its findings, who releases, today, whether two people are needed."""

    findings: tuple[Finding, ...]
    who: str
    today: date
    two_people: bool = False
    picture: str = ""


@dataclass(frozen=True)
class ReleaseResult:
    """Whether a build was accepted, under which key, why not, and the files that were written."""

    accepted: bool
    reasons: tuple[str, ...] = ()
    key: str = ""
    files: tuple[Path, ...] = ()
    contents: str = ""
    to: str = ""


@dataclass(frozen=True)
class Prepared:
    """The files of a release in a folder: the machine's, the manifest, the ticket twice."""

    contents: TicketContents
    files: tuple[Path, ...]
    key: str

    @property
    def machine_file(self) -> Path:
        """What the machine builds from."""
        return self.files[0]


def gate_reasons(job: Job, wish: ReleaseWish) -> tuple[str, ...]:
    """Why a build may not be released; empty where it may."""
    if not job.parts:
        return ("there are no parts in this build",)
    reasons = [f"{stop.part}: {stop.message} ({stop.code})" for stop in open_stops(wish.findings, job, wish.today)]
    if not wish.who.strip():
        reasons.append("nobody is named who releases it")
    if wish.two_people:
        waivers = [standing_waiver(one, job, wish.today) for one in wish.findings if one.severity == "stop"]
        if any(one is not None and _same(one.who, wish.who) for one in waivers):
            reasons.append(f"{wish.who} has waived a stop of it, and somebody else has to release it")
    return tuple(reasons)


def _same(one: str, other: str) -> bool:
    return " ".join(one.casefold().split()) == " ".join(other.casefold().split())


def file_stem(job: Job) -> str:
    """The name of a job as files have it."""
    return re.sub(r"[^\w.() -]+", "_", job.name).strip(" .") or "build"


def file_names(job: Job) -> tuple[str, str, str, str]:
    """The files of a release: the machine's, the manifest, the ticket as HTML and as PDF."""
    stem = file_stem(job)
    suffix = LAYER_SUFFIXES[job.machine.process]
    return f"{stem}{suffix}", f"{stem}-{MANIFEST}", f"{stem}-ticket.html", f"{stem}-ticket.pdf"


@heavy
def prepared_files(job: Job, pipeline: Pipeline, wish: ReleaseWish, folder: Path, watch: Watch = UNWATCHED) -> Prepared:
    """Write the files of a release into a folder. What was released before is written as it was then."""
    from lean_trellis.core.release.ticket.html import ticket_html  # what writes tickets is long in coming
    from lean_trellis.core.release.ticket.pdf import ticket_pdf

    graph = pipeline.graph
    build = graph.get(LAYERED_BUILD, None, job, Stretch(watch, 0.0, 0.5))
    estimate = graph.get(ESTIMATE, None, job)
    machine_file, manifest_name, html_name, pdf_name = file_names(job)
    path = folder / machine_file
    write_layers(build, path, Stretch(watch, 0.5, 0.8))
    digest = _digest(path)
    file = TicketFile(name=path.name, bytes=path.stat().st_size, sha256=digest)
    if job.released is not None and job.released.contents:
        contents = TicketContents.model_validate_json(job.released.contents)
    else:
        said = TicketWish(wish.findings, wish.today, wish.who.strip(), (file,), wish.picture)
        contents = ticket_contents(job, pipeline, said, Stretch(watch, 0.8, 0.95))
    manifest = manifest_of(job, build, estimate, path.name, digest)
    texts = {
        manifest_name: (manifest.model_dump_json(indent=1) + "\n").encode(),
        html_name: ticket_html(contents).encode(),
        pdf_name: ticket_pdf(contents),
    }
    for name, content in texts.items():
        with written_whole(folder / name) as target:
            target.write(content)
    watch.at(1.0, "the files are ready")
    return Prepared(contents, (path, *(folder / name for name in texts)), _key_of(manifest))


def manifest_of(job: Job, build: LayeredBuild, estimate: Estimate, file: str, digest: str) -> Manifest:
    """What the build says of itself to a machine."""
    every = {"support": job.support_every}
    return Manifest(
        job=job.name, machine=job.machine.id, process=job.machine.process, material=job.material.id,
        layer_height=job.layer_height, first_layer=job.first_layer, file=file, sha256=digest,
        volume_mm3=written_volume(build), line_width=line_width(job.constants), grams=estimate.material_grams,
        layer_seconds=tuple(estimate.assembly.layer_seconds.tolist()),
        bodies=tuple(SentBody(name=body.name[:400], kind=body.kind,
                              every=every.get(body.kind, 1)) for body in build.bodies),
    )  # fmt: skip


def _key_of(manifest: Manifest) -> str:
    """One key for one build: the same file for the same job. Who releases it, and when, does not matter."""
    return hashlib.sha256(manifest.model_dump_json().encode()).hexdigest()


def _digest(path: Path) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()


def release_to_machine(
    job: Job,
    pipeline: Pipeline,
    wish: ReleaseWish,
    client: MachineClient,
    *,
    ticket_folder: Path | None = None,
    watch: Watch = UNWATCHED,
) -> ReleaseResult:
    """Send a build to a machine, and keep its ticket in a folder where one is named.

    Raises `MachineError` where it is away: the build may be sent again, nothing comes twice.
    """
    reasons = gate_reasons(job, wish)
    if reasons:
        return ReleaseResult(False, reasons)
    status = client.status()
    if status.machine != job.machine.id:
        return ReleaseResult(False, (f"the build is for {job.machine.id}, this is {status.machine}",))
    with tempfile.TemporaryDirectory(prefix="trellis-release-") as temporary:
        prepared = prepared_files(job, pipeline, wish, Path(temporary), Stretch(watch, 0.0, 0.7))
        package = Path(temporary) / "package.zip"
        _pack(package, prepared, Stretch(watch, 0.7, 0.8))
        reply = client.sent_surely(prepared.key, package, Stretch(watch, 0.8, 1.0))
        kept = _kept_tickets(prepared, ticket_folder) if reply.accepted and ticket_folder is not None else ()
    to = status.name or client.known.address
    return ReleaseResult(reply.accepted, reply.reasons, prepared.key, kept, prepared.contents.model_dump_json(), to)


def _kept_tickets(prepared: Prepared, folder: Path) -> tuple[Path, ...]:
    kept = []
    for path in prepared.files:
        if "-ticket." in path.name:
            with written_whole(folder / path.name) as target:
                target.write(path.read_bytes())
            kept.append(folder / path.name)
    return tuple(kept)


def _pack(package: Path, prepared: Prepared, watch: Watch) -> None:
    with zipfile.ZipFile(package, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for number, path in enumerate(prepared.files):
            watch.at(number / len(prepared.files), f"packing {path.name}")
            name = MANIFEST if path.name.endswith(f"-{MANIFEST}") else path.name
            with path.open("rb") as source, archive.open(member(archive, name), "w", force_zip64=True) as target:
                while piece := source.read(_PIECE):
                    target.write(piece)


def release_to_folder(
    job: Job, pipeline: Pipeline, wish: ReleaseWish, folder: Path, *, replaces: bool = False, watch: Watch = UNWATCHED
) -> ReleaseResult:
    """Write the files of a build to a folder or medium under the job's name.

    All of them or, where anything goes wrong, none: older ones stay. Raises `EditError` where there are some already
    and `replaces` does not say that they may go, `AccessError` where the system refuses.
    """
    reasons = gate_reasons(job, wish)
    if reasons:
        return ReleaseResult(False, reasons)
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise AccessError.of(folder, problem, "write") from problem
    names = file_names(job)
    there = [name for name in names if (folder / name).exists()]
    folders = [name for name in there if (folder / name).is_dir()]
    if folders:
        raise EditError(folder / folders[0], "is a folder", "rename the job, or that folder")
    if there and not replaces:
        cure = "say that it may be replaced (--replace), or rename the job"
        raise EditError(folder / there[0], "is there already", cure)
    try:
        with tempfile.TemporaryDirectory(prefix=".trellis-release-", dir=folder) as temporary:
            prepared = prepared_files(job, pipeline, wish, Path(temporary), watch)
            written = all_moved(prepared.files, folder)
    except OSError as problem:
        raise AccessError.of(folder, problem, "write") from problem
    return ReleaseResult(True, (), prepared.key, written, prepared.contents.model_dump_json(), str(folder))


def all_moved(files: tuple[Path, ...], folder: Path) -> tuple[Path, ...]:
    """Move files into place; where one cannot be, those before it go back."""
    undo: list[Callable[[], object]] = []
    with ExitStack() as stack:
        stack.callback(lambda: [step() for step in reversed(undo)])
        for path in files:
            target = folder / path.name
            old = path.with_name(f"{path.name}.old")
            if target.exists():
                target.replace(old)
                undo.append(partial(old.replace, target))
            path.replace(target)
            undo.append(partial(target.replace, path))
        undo.clear()
    return tuple(folder / path.name for path in files)


def released_document(outcome: ReleaseResult) -> dict[str, object]:
    """An outcome as it is printed."""
    return {
        "accepted": outcome.accepted, "reasons": list(outcome.reasons), "key": outcome.key, "to": outcome.to,
        "ticket": [str(path) for path in outcome.files if "-ticket." in path.name],
        "files": [str(path) for path in outcome.files],
    }  # fmt: skip
