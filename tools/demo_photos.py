"""Render the two demo photos into silhueta/demo: run as  python -m tools.demo_photos ."""

from __future__ import annotations

from pathlib import Path

from PIL import Image

from benchmarks.photo import Part, Scene, printed, render
from silhueta.core.datum.gauge import gauge_pdf
from silhueta.demo.photos import COVER_MM, COVER_PICTURE, STRAP_PICTURE, Strap


def main() -> None:
    """Render both."""
    strap = Scene(
        Strap(),  # type: ignore[arg-type]
        pixels=(2600, 1950),
        tilt=17.0,
        azimuth=305.0,
        roll=6.0,
        seen=385.0,
        bench=95.0,
        texture="wood",
        top=58.0,
        wall=96.0,
        light=1.7,
        light_way=150.0,
        noise=2.5,
        seed=12,
    )
    _save(strap, STRAP_PICTURE)
    cover = Part(
        107.0,
        150.0,
        0.9,
        size=(118.0, 84.0),
        radius=16.0,
        holes=((0, 0, 46.0), (-46, -29, 9.0), (46, -29, 9.0), (-46, 29, 9.0), (46, 29, 9.0)),
        thickness=COVER_MM,
    )
    gauge = Scene(
        cover,
        sheet=(210.0, 297.0),
        pixels=(2600, 1950),
        k1=-0.05,
        tilt=14.0,
        azimuth=200.0,
        roll=84.0,
        seen=360.0,
        bench=120.0,
        texture="steel",
        top=62.0,
        wall=80.0,
        light=1.4,
        light_way=60.0,
        seed=5,
        print_on=printed(gauge_pdf("a4")),
    )
    _save(gauge, COVER_PICTURE)


def _save(scene: Scene, target: Path) -> None:
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = round(scene.focal35)
    Image.fromarray(render(scene)).convert("RGB").save(target, quality=88, exif=exif)


if __name__ == "__main__":
    main()
