"""docs/feel.md: the probing drills, every quantity and every built-in word as they are declared."""

from __future__ import annotations

from oak_sled.core.feel import quantities, telling, words

_HEAD = """# Feel

How a craft feels, in words, each an open document. Made from the declarations by `scripts/write_pages.py`.

Every craft is put through the same **probing drills**, on the bare ground of the drill on the bench: what drives it,
what turns it and what brakes it is found by trying each of its channels. A craft that holds itself in the air is probed
there, one with wings from a steady flight, any other standing on level ground.

| probe | what happens |
| --- | --- |
| step | from rest the drive is stepped to full, for 40 own times |
| release | at the top speed the drive is let go |
| reverse | at the top speed it is stopped by its brake, or by full reverse |
| turn | at 60 % of the top speed: full steering for 6 own times, the other way for 4, let go for 6 |
| circle | at that speed: half steering for 20 own times |
| slalom | at that speed: full steering to and fro, three periods of six own times |
| shove | at that speed: a shove aside, ahead of the middle, by a quarter of it; standing, of a length in an own time |
| drop | from a third of its length on to its feet |

The **own time** of a craft is the square root of its length over standard gravity: large things look and feel right
when they are slower by that. The time constant of the drive is that to 63 % of its top speed. What does not happen
while a probe lasts counts as long as that. A **word** is a list of bands: inside a band a quantity speaks for it in
full, beyond an end it fades out. How far a word fits is the weighted mean; where less than half of its weight is shown
it is not told.

A yard may hold words of its own (`wishes` in [yard-format.md](yard-format.md)), also in the place of a built-in one,
and bands of measures of its own drills.

## Quantities
"""


def page() -> str:
    """The page, whole."""
    lines = [_HEAD]
    for one in quantities.QUANTITIES:
        unit = f" [{one.unit}]" if one.unit else ""
        lines += [f"- `{one.name}`: **{one.title}**{unit}, {one.says}. Moved by {one.moved_by}."]
    lines += ["", "## Words"]
    for wish in words.BUILT_IN:
        lines += ["", f"### {wish.heading}", "", f"{wish.says[0].upper()}{wish.says[1:]}.", ""]
        lines += ["| quantity | band | fades over | weight | why |", "| --- | --- | --- | --- | --- |"]
        for band in wish.bands:
            fade = telling.value_of(band, band.fade)
            wanted = telling.wanted(band)
            lines.append(f"| {telling.title_of(band)} | {wanted} | {fade} | {band.weight:g} | {band.why} |")
    return "\n".join(lines) + "\n"
