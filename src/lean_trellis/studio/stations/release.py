"""Release: every finding with its cures, the build by owner, the gate, and files that leave."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtGui import QImage

from lean_trellis.core.checks import Cure, Finding, open_stops
from lean_trellis.studio.build_picture import build_picture
from lean_trellis.studio.forms.fields import muted, set_role
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.export_page import ExportPage
from lean_trellis.studio.stations.sections.findings_page import FindingsPage
from lean_trellis.studio.stations.sections.owners_page import OwnersPage
from lean_trellis.studio.stations.sections.release_page import ReleasePage
from lean_trellis.studio.stations.station import Fact, Station


class ReleaseStation(Station):
    """The findings of the whole build, who shares it, the gate, and the files that leave."""

    key = "release"
    name = "Release"
    has_tabs = True
    shows_angles = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.verdict = muted()
        self.head.addWidget(self.verdict)
        self.findings_page = FindingsPage(session, lambda topic: self.wanted.emit(topic))
        self.owners_page, self.export_page = OwnersPage(session), ExportPage(session)
        self.release_page = ReleasePage(session, self._picture)
        for key, words, page in (
            ("findings", "Findings", self.findings_page), ("owners", "Build", self.owners_page),
            ("gate", "Release", self.release_page),
        ):  # fmt: skip
            self.tabs.add_page(key, words).addWidget(page)
            page.asks.connect(self.asks)
        self.tabs.add_page("export", "Export").addWidget(self.export_page)
        self.tabs.currentChanged.connect(lambda _: self._tab_opened())

    def _picture(self) -> QImage | None:
        return build_picture(self.session)

    def _tab_opened(self) -> None:
        """Machines are watched while they are looked at; shares of owners follow from the estimate."""
        if self.tabs.key in ("gate", "owners"):
            self.session.layers.want()
        if self.tabs.key == "gate":
            self.release_page.watch.start()
        else:
            self.release_page.watch.stop()
        self.refresh()

    def leave(self) -> None:
        """Machines are watched no more."""
        self.release_page.watch.stop()

    def show_finding(self, finding: Finding) -> None:
        """Open a finding of the list, as a click on its row does."""
        self.tabs.show_page("findings")
        self.findings_page.show_finding(finding)

    def apply_cure(self, cure: Cure) -> None:
        """Do what a cure says."""
        self.findings_page.apply_cure(cure)

    def show_export(self) -> None:
        """Open the tab with the files that leave."""
        self.tabs.show_page("export")
        self.export_page.export_button.setFocus()

    def export_to(self, path: Path) -> None:
        """Export with the choices on the bench."""
        self.export_page.export_to(path)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the verdict, and the page that is open."""
        session, job = self.session, self.session.job
        findings = session.findings()
        if findings is None:
            has_parts, is_checking = bool(job.parts), session.is_checking()
            self.verdict.setText(session.unchecked_words() if has_parts else "Nothing to check: import parts first.")
            set_role(self.verdict, "muted" if is_checking or not has_parts else "warn")
        elif job.released is not None:
            set_role(self.verdict, "good")
            self.verdict.setText(f"Released by {job.released.who} to {job.released.to}.")
        else:
            self._show_verdict(findings)
        self.findings_page.refresh()
        self.export_page.show_note("You can export before the build is ready." if self._stops() else "")
        if self.tabs.key == "owners":
            self.owners_page.refresh()
        if self.tabs.key == "gate":
            self.release_page.refresh()

    def _stops(self) -> int:
        findings = self.session.findings() or ()
        return len(open_stops(findings, self.session.job, date.today()))

    def _show_verdict(self, findings: tuple[Finding, ...]) -> None:
        stops, waived, cautions = self._counts(findings)
        set_role(self.verdict, "stop" if stops else "warn" if cautions or waived else "good")
        counts = f"{stops} stop{'s' * (stops != 1)}, {cautions} caution{'s' * (cautions != 1)}"
        counts += f", {waived} waived" if waived else ""
        if stops:
            self.verdict.setText(f"Not ready: {counts}.")
        else:
            self.verdict.setText(f"Ready: {counts}." if findings else "Ready: no findings.")

    def _counts(self, findings: tuple[Finding, ...]) -> tuple[int, int, int]:
        """Open stops, waived ones, cautions."""
        stops = self._stops()
        waived = sum(finding.severity == "stop" for finding in findings) - stops
        return stops, waived, sum(finding.severity == "caution" for finding in findings)

    def fact(self) -> Fact:
        """Ready or not."""
        findings, job = self.session.findings(), self.session.job
        if job.released is not None:
            return Fact("fine", "released")
        if findings is None:
            if not job.parts:
                return Fact("open", "no parts yet")
            return Fact("stale", "checking …" if self.session.is_checking() else "not checked")
        stops, waived, cautions = self._counts(findings)
        if stops:
            return Fact("stop", f"{stops} stop{'s' * (stops > 1)}, {cautions} caution{'s' * (cautions != 1)}")
        also = f", {waived} waived" if waived else ""
        return Fact(
            "look" if cautions or waived else "fine",
            f"ready, {cautions} caution{'s' * (cautions != 1)}{also}" if cautions or waived else "ready",
        )
