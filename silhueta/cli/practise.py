"""The command ``silhueta practise``: a made-up photo or scan to try the way with."""

from __future__ import annotations

from pathlib import Path as File

import click

from silhueta.cli.progress import say
from silhueta.cli.report import check_ending

_FILE = click.Path(path_type=File)
_MOST_SEED = 999_999  # so that a person can type it again


@click.command()
@click.option("-o", "output", type=_FILE, required=True, metavar="PHOTO.jpg", help="A .jpg.")
@click.option(
    "--seed",
    type=click.IntRange(0, _MOST_SEED),
    help="By which paper, light, dust, tilt and thickness are drawn. [another each time]",
)
@click.option(
    "--outline",
    type=_FILE,
    metavar="FILE",
    help="What lies on the sheet: DXF, SVG or job. [a made-up plate]",
)
def practise(output: File, seed: int | None, outline: File | None) -> None:
    """Make up a photo or scan of a part on a sheet of paper, to try the whole way with.

    Says what was made, so that what is measured can be held against it.
    """
    check_ending({"-o": (output, ".jpg")})
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.files.atomic import write_whole
    from silhueta.core.files.inspect_file import to_inspect
    from silhueta.core.practise.render import photo_of
    from silhueta.core.practise.scene import new_seed, plate_of, scene_of
    from silhueta.core.rehearsal.bench_of import parts_of

    seed = new_seed() if seed is None else seed
    parts = plate_of(seed)
    if outline is not None:
        parts = list(parts_of(to_inspect(outline).job, (0.0, 0.0)))
    scene = scene_of(parts, seed)
    write_whole(output, photo_of(scene))
    say(f"seed {seed}: {scene.told()}")
