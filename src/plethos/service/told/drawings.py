"""From a drawing to what the API shows of it."""

from __future__ import annotations

from dataclasses import asdict

from plethos.core.skin.mesh import Mesh
from plethos.service.schemas.figure import CurveInfo, DrawingInfo, DrawnInfo, StrokeInfo


def drawing_info(mesh: Mesh) -> DrawingInfo | None:
    """What a drawing paints; None for a solid."""
    if not mesh.is_flat:
        return None
    low, high = mesh.rest[:, :2].min(axis=0), mesh.rest[:, :2].max(axis=0)
    drawn = []
    for part, surface in mesh.outlines():
        start = part.vertices[0]
        for thing in surface.drawn:
            curves = [surface.curves[n] for n in thing.curves]
            fill, stroke = thing.fill, thing.stroke
            drawn.append(
                DrawnInfo(
                    part=part.name,
                    name=thing.name,
                    curves=[CurveInfo(first=start + 3 * c.first, count=c.count, closed=c.closed) for c in curves],
                    fill=fill.colour if fill else None,
                    fill_opacity=fill.opacity if fill else 1.0,
                    even_odd=fill is not None and fill.rule == "evenodd",
                    stroke=None
                    if stroke is None
                    else StrokeInfo(
                        width=1.0 if mesh.channels is None else float(mesh.channels[start + 3 * curves[0].first, 0]),
                        **{k: v for k, v in asdict(stroke).items() if k != "hidden"},
                        hidden=[start + 3 * k for k in stroke.hidden],
                    ),
                )
            )
    size = high - low
    return DrawingInfo(view=(float(low[0]), float(low[1]), float(size[0]), float(size[1])), drawn=drawn)
