"""Colours of what is drawn on paper, in the window and in files: by force family, and those of the paper itself."""

from __future__ import annotations

FAMILIES = {
    "drive": "#B07000",
    "air": "#3D7EA6",
    "grip": "#5B8C3A",
    "support": "#7F4F93",
    "gravity": "#5C5F66",
    "impulse": "#C8452D",
    "tie": "#8C6239",
    "holder": "#1F8A8A",
    "": "#26282B",
}
"""Of lines and bars, by force family: 3 to 1 at least against paper."""
PAPER = {
    "paper": "#F3EEE3",
    "card": "#FBF8F0",
    "shade": "#E6DECD",
    "rule": "#CFC5B0",
    "ink": "#26282B",
    "soft": "#625E56",
    "oak": "#A9743A",
    "oak_deep": "#8A5A26",
    "warning": "#B93C22",
    "good": "#2F6E40",
}
"""Of paper and what is written on it, by day."""
