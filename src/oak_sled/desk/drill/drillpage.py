"""The Drill page: channels over time, the start on the plan, events, end and files, each edit re-run at once."""

from __future__ import annotations

from typing import Any, get_args

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSplitter, QWidget

from oak_sled.core.advice import flightsheet
from oak_sled.core.assembly import bodynames
from oak_sled.core.base.dial import dials
from oak_sled.core.project import inputs
from oak_sled.core.yard import casting
from oak_sled.core.yard.drill import Drill, End, Track
from oak_sled.core.yard.event import SAYS, Event, What
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.network import Network
from oak_sled.core.yard.tie import Tie
from oak_sled.desk.drawing.drawingpage import DrawingPage
from oak_sled.desk.drill import eventtargets, fitting, trimming
from oak_sled.desk.drill.castties import CastTies
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.drill.channelstrips import ChannelStrips
from oak_sled.desk.drill.drillfiles import DrillFiles
from oak_sled.desk.drill.drillplan import DrillPlan
from oak_sled.desk.drill.overnetwork import OverNetwork
from oak_sled.desk.drill.recordingpanel import RecordingPanel
from oak_sled.desk.drill.targets import Targets
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

END_SAYS = {
    "time": "at the end of its time",
    "distance": "after a distance",
    "stopped": "when the craft has stopped",
    "hit": "at the first hit",
    "last_gate": "past the last gate",
    "left_ground": "when it leaves the ground, or its edge",
}
STAMP_SAYS = {
    "step": "to full or back",
    "ramp": "to full or back in half a second",
    "hold": "hold the value at the cursor",
    "pulse": "on for half a second",
}
SHAPES = ("steps", "ramps", "sine", "pulses", "aim", "pace")
DRIVER_WORDS = {"aim": "aim: the driver steers for the gates", "pace": "pace: the driver holds a speed"}
SMOOTH_S = 0.06
"""s of the bell that a press on smooth runs over a track."""
_DRIVER = ("gain", "lead", "sight")


class DrillPage(DrawingPage):
    """Wires strips and plan to the session: every drag re-runs the drill, and is one step of history."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(session, "drill", parent)
        self.recording = RecordingPanel()
        self.files = DrillFiles(self, session, self.recording.show_guess)
        self.strips = ChannelStrips(session)
        self.plan = DrillPlan(session)
        self.ties = CastTies(session, self.strips)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(2)
        split.setChildrenCollapsible(False)
        split.addWidget(self.strips)
        split.addWidget(self.plan)
        split.setSizes([400, 300])
        self.recording.taken.connect(self.files.take_recording)
        self.recording.stand_in_for(self.strips, self.plan)
        split.addWidget(self.recording)
        self.fits = fitting.Fitting(session, self.strips, self.plan)
        split.addWidget(self.fits.panel)
        self.lay_out(self._bar(), split)
        for part in (self.strips, self.plan):
            part.previewed.connect(self._preview)
            part.released.connect(session.commit)
        self.strips.picked.connect(self.refresh)
        self.strips.fit()

    def _bar(self) -> QHBoxLayout:
        bar = self.empty_bar()
        self.buttons: dict[str, QPushButton] = {}

        def button(words: str, tip: str, action: object = None, fill: object = None) -> None:
            made = QPushButton(words)
            made.setObjectName("plain" if fill else "quiet")
            made.setToolTip(tip)
            made.setMinimumHeight(28)
            if callable(action):
                made.clicked.connect(lambda _=False: action())
            if callable(fill):
                menu = QMenu(made)
                menu.aboutToShow.connect(menu.clear)
                menu.aboutToShow.connect(lambda: fill(menu))
                made.setMenu(menu)
            self.buttons[words] = made
            bar.addWidget(made)

        button("drill", "new, duplicate or remove a drill; import or export its inputs", fill=self._fill_drill)
        button("event", "add an event at the cursor", fill=self._fill_events)
        self.targets = Targets(self.session, self)
        self.network = OverNetwork(self.session, self.targets, self.strips.choose)
        button("target", "bands in which measures should lie; add, type or remove one", fill=self.targets.fill)
        button("network", "how others see the craft, or its driver: delay, loss and correction", fill=self.network.fill)
        for stamp in inputs.STAMPS:
            tip = f"{stamp} at the cursor, {STAMP_SAYS[stamp]}, in the selected channel"
            button(stamp, tip, lambda stamp=stamp: self.stamp(stamp))
        bar.addStretch(1)
        button("cut before", "the drill begins at the cursor, with the motion it had there", lambda: self.cut(True))
        button("cut after", "the drill ends at the cursor", lambda: self.cut(False))
        button("smooth", "smooths the selected channel, else all", self.smooth)
        return bar

    # edits

    @property
    def path(self) -> str:
        """The path of the drill on the bench."""
        return f"drills.{self.session.yard.bench.drill}"

    @property
    def drill(self) -> Drill:
        """The drill on the bench."""
        return self.session.seen_drill

    def _preview(self, path: str, value: object) -> None:
        self.session.preview(f"{self.path}.{path}", value)

    def _change(self, drill: Drill, label: str) -> None:
        self.session.take_seen_drill(drill, label)

    def channel(self) -> str:
        """The selected channel; the first one if none is."""
        pick = self.strips.chosen
        channels = self.session.craft.channels
        if pick.what in ("knot", "track") and pick.name in [one.id for one in channels]:
            return pick.name
        return channels[0].id if channels else ""

    def stamp(self, what: str) -> None:
        """Puts a step, a ramp, a hold or a pulse into the selected channel, at the cursor."""
        channel = next((one for one in self.session.craft.channels if one.id == self.channel()), None)
        if channel is None:
            self.session.say("this craft has no channels", True)
            return
        made = inputs.stamped(inputs.track_of(self.drill, channel.id), what, round(self.session.shown.time, 3), channel)
        self._change(inputs.with_track(self.drill, made), f"{what} in {channel.heading}")
        self.strips.choose(Pick("track", channel.id))

    def reshape(self, shape: str) -> None:
        """Another shape for the selected channel."""
        track = inputs.track_of(self.drill, self.channel())
        made = inputs.reshaped(track, shape)
        self._change(inputs.with_track(self.drill, made), f"{shape} in {track.channel}")
        if shape in ("steps", "ramps") and not made.knots:
            self.session.say("double click in the strip to add knots")

    def add_event(self, what: str, target: str) -> None:
        """One event more, at the cursor."""
        x = -2.0 if what == "release" else 0.0
        if what == "poke":
            block = next((one for one in self.session.ground.blocks if one.id == target), None)
            x = 3.0 * (block.mass if block is not None else self.session.craft.body.true_mass())
        name = free_name(f"{what}_{target}"[:36].rstrip("_") or what, self.drill.events)
        new = Event(id=name, what=what, t=round(self.session.shown.time, 3), target=target, x=round(x, 1))
        self._change(self.drill.replace(events=(*self.drill.events, new)), new.heading)
        self.strips.choose(Pick("event", name))

    def cut(self, before: bool) -> None:
        """Leaves out what lies before the cursor, or behind it."""
        run, t = self.session.shown.run, self.session.shown.time
        if run is None or run.job.drill != self.session.drill:
            self.session.say("the drill is still being run: try again in a moment")
            return
        if (before and t <= 0.0) or (not before and t >= self.drill.duration):
            self.session.say("put the cursor where it is to be cut (click into a strip)")
            return
        whole = self.session.drill
        for one in run.job.crafts:  # every craft goes on from where it is
            seen = casting.seen_from(whole, one.id)
            cut = inputs.trimmed(seen, run.seen_from(one.id), t if before else 0.0, whole.duration if before else t)
            whole = casting.folded(whole, one.id, seen.replace(start=cut.start, tracks=cut.tracks))
        made = cut.replace(start=whole.start, tracks=whole.tracks, cast=whole.cast)
        self.session.attempt(
            lambda: self.session.yard.replace(
                drills=tuple(made if old.id == made.id else old for old in self.session.yard.drills)
            ),
            "cut before the cursor" if before else "cut after the cursor",
        )
        self.session.shown.set_time(0.0 if before else made.duration)

    def smooth(self) -> None:
        """Takes the jitter out of the selected channel, else out of all."""
        drill, pick = self.drill, self.strips.chosen
        sides = {one.id: one.least_input < 0.0 for one in self.session.craft.channels}
        for track in self.drill.tracks:
            if pick.what in ("knot", "track") and track.channel != pick.name:
                continue
            drill = inputs.with_track(
                drill, inputs.smoothed(track, SMOOTH_S, drill.duration, sides.get(track.channel, True))
            )
        if drill == self.drill:
            self.session.say("there is nothing to smooth")
            return
        self._change(drill, "smooth")
        self.strips.choose(Pick("track", pick.name) if pick.what == "knot" else pick)

    # menus

    def _fill_drill(self, menu: QMenu) -> None:
        menu.addAction("New drill on this ground", self.new_drill)
        menu.addAction("Duplicate this one", self.duplicate)
        if len(self.session.yard.drills) > 1:
            menu.addAction("Remove this one", self.remove_drill)
        if flightsheet.flies(self.session.craft):
            menu.addAction(
                "Begin trimmed: in steady flight at the speed, climb and bank of the start",
                lambda: trimming.begin_trimmed(self.session),
            )
        menu.addSeparator()
        menu.addAction("Inputs from a CSV file...", self.files.ask_import)
        menu.addAction("Inputs to a CSV file...", self.files.ask_export)
        menu.addAction("What a game did, from a table...", self.files.ask_recording)
        if self.session.drill.recording is not None:
            self.fits.fill(menu)

    def targets_of(self, what: str) -> tuple[str, ...]:
        """Targets of an event of that kind."""
        return eventtargets.of(self.session, what)

    def _fill_events(self, menu: QMenu) -> None:
        for what in get_args(What):
            targets = self.targets_of(what)
            inner = menu.addMenu(f"{what.replace('_', ' ')}: {SAYS[what]}")
            if inner is None:
                continue
            inner.setEnabled(bool(targets))
            for target in targets:
                words = target.replace("_", " ") or self.session.craft.heading
                inner.addAction(words, lambda what=what, target=target: self.add_event(what, target))

    def _fill_watch(self, menu: QMenu) -> None:
        menu.clear()
        for one in self.session.ground.blocks:
            if one.moves != "free":
                continue
            action = menu.addAction(theme.in_menu(one.heading), lambda name=one.id: self.watch(name))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(one.id in self.drill.watch)

    def watch(self, name: str) -> None:
        """Measures the flight of a block, or no longer."""
        now = self.drill.watch
        wanted = tuple(one for one in now if one != name) if name in now else (*now, name)
        self.session.edit(f"{self.path}.watch", wanted, f"watch {name}")

    def _take_drill(self, drill: Drill, label: str) -> None:
        yard = self.session.yard
        grown = yard.replace(drills=(*yard.drills, drill), bench=yard.bench.replace(drill=drill.id))
        self.session.change(grown, label)
        self.strips.span = None
        self.strips.choose(Pick(""))

    def new_drill(self) -> None:
        """A drill of 8 s with the first channel full on."""
        channels = self.session.craft.channels
        tracks = (inputs.stamped(Track(channel=channels[0].id), "step", 0.5, channels[0]),) if channels else ()
        name = free_name("new_drill", self.session.yard.drills)
        drill = Drill(id=name, title="New drill", ground=self.session.ground.id, tracks=tracks, duration=8.0)
        self._take_drill(drill, "new drill")

    def duplicate(self) -> None:
        """A copy of the drill on the bench."""
        name = free_name(self.drill.id, self.session.yard.drills)
        self._take_drill(self.session.drill.replace(id=name, title=f"{self.drill.heading} 2"), "duplicate drill")

    def remove_drill(self) -> None:
        """Takes the drill on the bench out of the yard."""
        yard = self.session.yard
        left = tuple(one for one in yard.drills if one.id != self.drill.id)
        bench = yard.bench.replace(drill=left[0].id, ground=left[0].ground or yard.bench.ground)
        self.session.change(yard.replace(drills=left, bench=bench), "remove drill")

    # numbers

    def subject(self) -> tuple[str, Any]:
        """Subject of the numbers, with its path: a knot, an event, a track, a tie, else the drill."""
        pick, drill = self.strips.chosen, self.drill
        if pick.what == "network" and drill.network is not None:
            return f"{self.path}.network", drill.network
        if pick.what == "tie" and (tie := self.ties.tie(pick.name)) is not None:
            return f"{self.path}.ties.{tie.id}", tie
        if pick.what == "event":
            event = next((one for one in drill.events if one.id == pick.name), None)
            if event is not None:
                return f"{self.path}.events.{event.id}", event
        places = [track.channel for track in drill.tracks]
        if pick.what in ("knot", "track") and pick.name in places:
            at = places.index(pick.name)
            where = f"{self.path}.tracks.{at}"
            if pick.what == "knot" and pick.number < len(drill.tracks[at].knots):
                return f"{where}.knots.{pick.number}", drill.tracks[at].knots[pick.number]
            return where, drill.tracks[at]
        if pick.what == "track" and pick.name in [one.id for one in self.session.craft.channels]:
            return "", Track(channel=pick.name)
        return self.path, drill

    def refresh(self) -> None:
        """Shows the numbers of the selection."""
        path, item = self.subject()
        decide = ("shape", "what", "channel", "correct", "authority")
        look: tuple[object, ...] = (path, type(item), *(getattr(item, name, "") for name in decide))
        if isinstance(item, Event):
            look = (*look, item.target, self.targets_of(item.what))
        if isinstance(item, Drill):
            look = (*look, item.end, item.targets, len(item.ties))
        if isinstance(item, Tie):
            look = (*look, *bodynames.solid_numbers(self.session.job()))
        if look != self._shown:
            self._shown = look
            self._rebuild(path, item)
        self.numbers.show_dials(item)
        self.numbers.show_choices(item)
        if isinstance(item, Drill):
            self.watch_button.setText(f"watches {len(item.watch) or 'no'} block{'' if len(item.watch) == 1 else 's'}")

    def _rebuild(self, path: str, item: Any) -> None:
        numbers, pick = self.numbers, self.strips.chosen
        numbers.clear()
        self.targets.rows = []
        if isinstance(item, Event):
            numbers.add_title(item.heading.capitalize())
            numbers.add_note(SAYS[item.what])
            numbers.add_choice(path, "what", get_args(What), "what happens")
            numbers.add_choice(path, "target", self.targets_of(item.what), "what it is for", "the craft")
            wanted = {
                "t",
                *("xyz" if item.what in ("release", "poke") else ""),
                *(("at_x", "at_y", "at_z") if item.what == "poke" else ()),
            }
            numbers.add_dials(item, path, lambda name: name in wanted)
            numbers.add_button("remove this event", "Delete", self.strips.remove)
        elif isinstance(item, Track):
            self._rebuild_track(path, item)
        elif isinstance(item, Drill):
            self._rebuild_drill(path, item)
        elif isinstance(item, Tie):
            self.ties.show(numbers, path, item)
        elif isinstance(item, Network):
            self.network.show(numbers, path, item)
        else:
            numbers.add_title(f"{pick.name.replace('_', ' ').capitalize()} · knot {pick.number + 1}")
            numbers.add_dials(item, path)
            numbers.add_button("remove this knot", "Delete", self.strips.remove)
            numbers.add_button("the whole channel", "its shape", lambda: self.strips.choose(Pick("track", pick.name)))
        numbers.lane.addStretch(1)

    def _rebuild_track(self, path: str, item: Track) -> None:
        numbers = self.numbers
        numbers.add_title(item.channel.replace("_", " ").capitalize())
        shape = numbers.add_button(f"shape: {item.shape}", "how the input goes from knot to knot")
        menu = QMenu(shape)
        for one in SHAPES:
            menu.addAction(DRIVER_WORDS.get(one, one), lambda one=one: self.reshape(one))
        shape.setMenu(menu)
        if path:
            wanted = {"sine": ("amplitude", "period"), "pulses": ("amplitude", "period", "on_share"), "aim": _DRIVER}
            wanted["pace"] = ("pace", "pace_gain")
            numbers.add_dials(item, path, lambda name: name in wanted.get(item.shape, ()))
            numbers.add_button("clear the channel", "remove all of it (Delete)", self.strips.remove)
        if item.shape in ("steps", "ramps", "pace"):
            numbers.add_note(f"{len(item.knots)} knots · double click in the strip adds one, K adds one at the cursor")
        numbers.add_button("the whole drill", "its end and its start", lambda: self.strips.choose(Pick("")))

    def _rebuild_drill(self, path: str, item: Drill) -> None:
        numbers = self.numbers
        numbers.add_title(item.heading)
        self.targets.put_on(numbers)
        numbers.add_label("ends")
        numbers.add_choice(path, "end", get_args(End), "what ends the drill early")
        numbers.add_note(END_SAYS[item.end])
        wanted = {"duration", "event_time", *(("end_value",) if item.end in ("distance", "stopped") else ())}
        numbers.add_dials(item, path, lambda name: name in wanted)
        watch = numbers.add_button("", "dynamic blocks whose flight is measured, side by side")
        menu = QMenu(watch)
        menu.aboutToShow.connect(lambda: self._fill_watch(menu))
        watch.setMenu(menu)
        self.watch_button = watch
        ties = numbers.add_button(self.ties.words(), "what couples its crafts at the start")
        tie_menu = QMenu(ties)
        tie_menu.aboutToShow.connect(lambda: self.ties.fill(tie_menu))
        ties.setMenu(tie_menu)
        numbers.add_label("start")
        for declared in dials(item.start):
            numbers.add_dial(
                declared, getattr(item.start, declared.name), f"{path}.start.{declared.name}", f"start.{declared.name}"
            )
