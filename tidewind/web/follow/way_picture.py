"""The way of a parcel as a picture of its own, light or dark as its reader has it."""

from __future__ import annotations

from html import escape

from tidewind.core.earth import HEIGHT, WIDTH, Drawn, Mark

_STYLE = """
.sea { fill: #e4eaec } .land { fill: #f7f5f2; stroke: #bfc7c9 } .border { fill: none; stroke: #d8d8d4 }
.gone, .ahead { fill: none; stroke: #7a2e54; stroke-width: 3 } .ahead { stroke-dasharray: 2 7; stroke-linecap: round }
circle { fill: #7a2e54; stroke: #f7f5f2; stroke-width: 2 } .goal { fill: #f7f5f2; stroke: #7a2e54; stroke-width: 3 }
text { font: 20px system-ui, sans-serif; fill: #23292e; paint-order: stroke; stroke: #f7f5f2; stroke-width: 4px }
@media (prefers-color-scheme: dark) {
  .sea { fill: #15181a } .land { fill: #262b2f; stroke: #464d52 } .border { stroke: #363c41 }
  .gone, .ahead { stroke: #e0a3c2 } circle { fill: #e0a3c2; stroke: #1c1f22 }
  .goal { fill: #1c1f22; stroke: #e0a3c2 } text { fill: #ecebe8; stroke: #1c1f22 }
}
"""


def way_picture(made: Drawn | None) -> str:
    """Return SVG 1.1 of a way; a picture of one unit where there is none, so that a page shows nothing."""
    if made is None:
        return '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"/>'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" viewBox="0 0 {WIDTH} {HEIGHT}">'
        f'<style>{_STYLE}</style><rect class="sea" width="{WIDTH}" height="{HEIGHT}"/>'
        f'<path class="land" d="{made.land}"/><path class="border" d="{made.borders}"/>'
        f'<path class="gone" d="{made.gone}"/><path class="ahead" d="{made.ahead}"/>'
        f"{''.join(map(_mark, made.marks))}</svg>"
    )


def _mark(mark: Mark) -> str:
    radius, beside = 7 if mark.kind == "now" else 5, 12 if mark.side == "start" else -12
    dot = f'<circle class="{mark.kind}" cx="{mark.x}" cy="{mark.y}" r="{radius}"/>'
    name = f'<text x="{mark.x + beside}" y="{mark.y + 7}" text-anchor="{mark.side}">{escape(mark.name)}</text>'
    return dot + name if mark.name else dot
