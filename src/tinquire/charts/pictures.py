"""Drawings as pictures, by Matplotlib's renderers: PNG, SVG and PDF.

A figure holds one artist that plays a drawing's shapes back to whatever renderer draws it: no axes, no layout, which
is where the time of a figure goes.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from tinquire.charts.measure import families
from tinquire.charts.shapes import Drawing, Path, Words

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["FORMS", "figure_of", "picture"]

#: Forms of pictures by the ending of their files.
FORMS = ("png", "svg", "pdf")
#: Dots per inch of a PNG: sharp in print and on dense screens.
RESOLUTION = 192


def figure_of(drawing: Drawing) -> Figure:
    """A Matplotlib figure that shows a drawing."""
    from matplotlib.artist import Artist
    from matplotlib.figure import Figure
    from matplotlib.font_manager import FontProperties
    from matplotlib.path import Path as Outline
    from matplotlib.transforms import Affine2D

    codes = {
        "M": (Outline.MOVETO,), "L": (Outline.LINETO,), "C": (Outline.CURVE4,) * 3, "Z": (Outline.CLOSEPOLY,),
    }  # fmt: skip
    names = list(families(drawing.font))
    fonts = {bold: FontProperties(family=names, weight="bold" if bold else "normal") for bold in (False, True)}

    class Shapes(Artist):
        """The shapes of a drawing, one after the other."""

        def draw(self, renderer: Any) -> None:
            scale = renderer.points_to_pixels(1.0)
            places = Affine2D().scale(scale)
            for shape in drawing.shapes:
                context = renderer.new_gc()
                if isinstance(shape, Path):
                    self._path(renderer, context, shape, places)
                else:
                    self._words(renderer, context, shape, scale)
                context.restore()

        def _path(self, renderer: Any, context: Any, shape: Path, places: Any) -> None:
            steps = [code for move in shape.moves for code in codes[move]]
            points = list(shape.points) + [shape.points[0]] * (len(steps) - len(shape.points))
            context.set_alpha(shape.opacity)
            context.set_linewidth(shape.width if shape.stroke else 0.0)
            context.set_foreground(f"#{shape.stroke or shape.fill}")
            context.set_capstyle("butt" if shape.dashes else "round")
            context.set_joinstyle("round" if len(shape.points) > 4 else "miter")
            if shape.dashes:
                context.set_dashes(0, list(shape.dashes))
            fill = None if shape.fill is None else _rgb(shape.fill)
            renderer.draw_path(context, Outline(points, steps), places, fill)

        def _words(self, renderer: Any, context: Any, shape: Words, scale: float) -> None:
            context.set_foreground(f"#{shape.colour}")
            font = fonts[shape.bold].copy()
            font.set_size(shape.size)
            x, y = shape.x * scale, shape.y * scale
            if shape.across != "left":
                width, _, _ = renderer.get_text_width_height_descent(shape.text, font, ismath=False)
                part = width / 2 if shape.across == "center" else width
                x, y = (x, y - part) if shape.angle == 90 else (x - part, y)
            height = renderer.height if hasattr(renderer, "height") else 0.0
            y = height - y if renderer.flipy() else y
            renderer.draw_text(context, x, y, shape.text, font, shape.angle, ismath=False)

    figure = Figure(figsize=(drawing.width / 72, drawing.height / 72), dpi=RESOLUTION, facecolor=f"#{drawing.ground}")
    figure.add_artist(Shapes())
    return figure


def _rgb(colour: str) -> tuple[float, float, float]:
    red, green, blue = (int(colour[index : index + 2], 16) / 255 for index in (0, 2, 4))
    return red, green, blue


def picture(drawing: Drawing, form: str, alt: str = "") -> bytes:
    """A drawing as the bytes of a PNG, SVG or PDF file; the same drawing gives the same bytes."""
    import matplotlib

    metadata: Mapping[str, Mapping[str, Any]] = {
        "png": {"Software": None, "Description": alt}, "svg": {"Date": None, "Creator": None, "Description": alt},
        "pdf": {"CreationDate": None, "ModDate": None, "Creator": None, "Producer": None, "Subject": alt},
    }  # fmt: skip
    stream = io.BytesIO()
    settings: dict[Any, Any] = {"svg.hashsalt": "tinquire", "svg.fonttype": "path", "pdf.fonttype": 42}
    with matplotlib.rc_context(settings):
        figure_of(drawing).savefig(
            stream, format=form, metadata={k: v for k, v in metadata[form].items() if v != ""},
        )  # fmt: skip
    return stream.getvalue()
