import base64
import io

import numpy as np
import pypdfium2
import pytest
from PIL import Image

from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.datum.gauge import gauge_pdf
from silhueta.core.errors import EditError, PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.clean import cleaned, crop_box
from silhueta.core.picture.decode import Picture, decode, decode_colour
from silhueta.core.picture.dots import raster_of
from silhueta.core.picture.even_light import evened_light, light_on
from silhueta.core.picture.verdict import judge
from silhueta.core.steps import (
    Backdrop,
    Crop,
    EvenLight,
    Mirror,
    Straighten,
    Stroke,
    Turn,
    describe_step,
)
from tests.conftest import encoded, grey_picture


def plate(light: float = 1.0) -> np.ndarray:
    """A dark plate with a hole on paper, lit from the left only."""
    y, x = np.mgrid[0:300, 0:400] + 0.5
    grey = np.full((300, 400), 230.0)
    inside = (np.abs(x - 200) < 110) & (np.abs(y - 150) < 70) & (np.hypot(x - 200, y - 150) > 30)
    grey[inside] = 50
    return grey * (1 / light + (1 - 1 / light) * x / 400)


def test_even_light_makes_one_grey_of_the_ground_and_leaves_the_part_dark():
    grey = plate(2.5).astype(np.uint8)
    even = evened_light(grey)
    ground = plate() > 200
    assert np.ptp(np.quantile(grey[ground], [0.05, 0.95])) > 100
    assert np.ptp(np.quantile(even[ground], [0.05, 0.95])) < 14
    assert even[~ground].max() < 0.5 * even[ground].min()
    assert light_on(np.full((4, 4), 9, np.uint8)) is None  # too little to judge by
    step = cleaned(grey_picture(grey), (EvenLight(),), None)
    assert (step.grey == even).all()


def test_ink_and_scrape_paint_with_a_smooth_rim():
    white = grey_picture(np.full((60, 80), 200, np.uint8))
    inked = cleaned(white, (Stroke(True, ((20.0, 30.0), (60.0, 30.0)), 10.0),), None).grey
    assert inked[30, 40] == 0
    assert (inked[30, 12], inked[18, 40]) == (200, 200)
    column = inked[20:31, 40]
    assert ((column > 0) & (column < 200)).any()  # the rim is no staircase
    # half the rim's grey lies at half the brush's width, 5 px above its way at y = 30; OpenCV's
    # smooth lines are up to a pixel wider on each side
    edge = 20.5 + np.interp(-100, -column.astype(float), np.arange(11))
    assert edge == pytest.approx(25.0, abs=1.0)
    box = ((10.0, 10.0), (30.0, 10.0), (30.0, 25.0), (10.0, 25.0))
    scraped = cleaned(grey_picture(inked), (Stroke(False, box),), None).grey
    assert scraped[17, 20] == 255
    assert cleaned(white, (Stroke(True, box, on=False),), None) is white


def test_strokes_know_which_side_is_the_part():
    grey = grey_picture(np.full((20, 20), 128, np.uint8))
    stroke = Stroke(True, ((10.0, 10.0),), 8.0)
    assert cleaned(grey, (stroke,), None, dark_part=False).grey[10, 10] == 255
    wide = Picture(np.full((20, 20), 30_000, np.uint16), None, None, "PNG")
    assert cleaned(wide, (stroke,), None, dark_part=False).grey[10, 10] == 65535


def test_a_background_goes_by_its_colour():
    image = Image.new("RGB", (60, 40), (60, 120, 200))
    image.paste((90, 90, 90), (20, 10, 40, 30))
    file = encoded(image, "PNG")
    picture = decode(file)
    dropped = cleaned(picture, (Backdrop(((60, 120, 200),)),), file).grey
    assert (dropped[5, 5], dropped[20, 30]) == (255, picture.grey[20, 30])
    assert decode_colour(file)[5, 5].tolist() == [60, 120, 200]


def test_crops_leave_what_all_of_them_hold():
    steps = (Crop(10, 10, 50, 50), Crop(30, 0, 100, 40), Crop(0, 0, 5, 5, on=False))
    assert crop_box(steps, 100, 120) == (30, 10, 60, 40)
    assert crop_box((), 100, 120) is None


@pytest.mark.parametrize(
    "make",
    [
        lambda: Crop(0, 0, 1, 9),
        lambda: Crop(0, 0, float("nan"), 9),
        lambda: Straighten((0, 0), (1, 1)),
        lambda: Backdrop(()),
        lambda: Backdrop(((1, 2, 3),), 0.1),
        lambda: Stroke(True, ()),
        lambda: Stroke(True, ((0, 0), (1, 1))),
        lambda: Stroke(True, ((0, 0),), -3.0),
    ],
)
def test_steps_that_make_no_sense_are_refused(make):
    with pytest.raises(EditError):
        make()


def test_every_step_is_told_in_words():
    steps = (Crop(0, 0, 9, 9), Turn(1), Turn(2), Straighten((0, 0), (99, 1)), Mirror(), EvenLight())
    steps += (Backdrop(((1, 2, 3),)), Stroke(True, ((0, 0),), 4.0))
    assert len({describe_step(step) for step in steps}) == len(steps)


def test_a_good_scan_is_called_good_and_a_poor_photo_poor():
    from scipy.ndimage import gaussian_filter

    sharp = gaussian_filter(np.kron(plate(), np.ones((4, 4))), 0.8).astype(np.uint8)
    good = judge(grey_picture(sharp))
    assert good.grade == "good"
    noise = np.random.default_rng(0).normal(0, 6, plate().shape)
    soft = np.clip(gaussian_filter(plate(2.6), 4) * 0.6 + 60 + noise, 0, 255).astype(np.uint8)
    stream = io.BytesIO()
    Image.fromarray(soft).save(stream, "JPEG", quality=12)
    poor = judge(decode(PictureFile(stream.getvalue(), "x.jpg")))
    assert poor.grade == "poor"
    told = {f.about: f for f in poor.findings}
    assert told["Sharpness"].grade == "poor"
    assert told["JPEG"].grade != "good"
    assert all(f.remedy for f in poor.findings if f.grade == "poor")
    assert judge(grey_picture(np.full((50, 50), 99, np.uint8))).grade == "poor"


def test_the_verdict_on_a_part_is_about_its_edge_and_not_about_the_bench():
    rng = np.random.default_rng(3)
    grey = np.clip(rng.normal(120, 45, (700, 900)), 0, 255)  # a grainy bench all round
    y, x = np.mgrid[:700, :900] + 0.5
    away = np.hypot(x - 450, y - 350)
    calm = away < 260
    grey[calm] = 225 + rng.normal(0, 1, int(calm.sum()))
    grey = np.where(away < 220, 20.0, np.where(away < 221, 120.0, grey)).astype(np.uint8)
    turn = np.linspace(0, 2 * np.pi, 900, endpoint=False)
    ring = np.array([450, 350]) + 220.5 * np.column_stack([np.cos(turn), np.sin(turn)])
    along = judge(grey_picture(grey), [ring])
    assert along.grade == "good"
    noisy = np.clip(grey + rng.normal(0, 15, grey.shape), 0, 255).astype(np.uint8)
    told = {f.about: f for f in judge(grey_picture(noisy), [ring]).findings}
    assert told["Noise"].grade == "poor"
    assert 10 < float(told["Noise"].figure.split()[0]) < 20


def test_a_photo_of_a_screen_is_told_by_its_raster_and_cloth_is_not():
    y, x = np.mgrid[:700, :900]
    rng = np.random.default_rng(1)
    shown = np.where(np.hypot(x - 450, y - 350) < 200, 60.0, 200.0)
    dots = 0.8 + 0.2 * np.cos(2 * np.pi * x / 4.7) * np.cos(2 * np.pi * y / 4.7)
    screen = np.clip(shown * dots + rng.normal(0, 3, shown.shape), 0, 255).astype(np.uint8)
    assert raster_of(screen) == pytest.approx(4.7 / np.sqrt(2), rel=0.03)
    told = {f.about: f for f in judge(grey_picture(screen)).findings}
    assert told["Raster"].grade == "poor"
    sway = 2 * np.pi * (x + 9 * np.sin(y / 23) + 9 * np.sin(x / 31)) / 5.5
    cloth = np.clip(shown + 25 * np.cos(sway) + rng.normal(0, 9, shown.shape), 0, 255)
    assert raster_of(cloth.astype(np.uint8)) is None


def test_no_graphic_is_taken_for_a_photo_of_a_screen():
    for name in ("star", "gear", "Barlow_500Medium M", "Barlow_500Medium &"):
        assert raster_of(picture(placed(every_shape()[name], 640), 640)) is None
    y, x = np.mgrid[:800, :800]
    hatched = np.where(np.hypot(x - 400, y - 400) < 330, 255 * ((x + y) % 6 > 2), 255)
    assert raster_of(hatched.astype(np.uint8)) is None
    checks = 255 * ((x // 8 + y // 8) % 2)
    assert raster_of(checks.astype(np.uint8)) is None


def pdf(pages: int = 3) -> bytes:
    from reportlab.pdfgen.canvas import Canvas

    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=(72, 144))
    for number in range(pages):
        canvas.rect(10, 10, 10 + 5 * number, 50, stroke=0, fill=1)
        canvas.showPage()
    canvas.save()
    return stream.getvalue()


def test_a_pdf_page_is_drawn_at_the_dpi_asked_for():
    # 72 x 144 pt is 1 x 2 in
    first = decode(PictureFile(pdf(), "a.pdf"))
    assert (first.width, first.height, first.dpi, first.pages) == (300, 600, 300.0, 3)
    third = decode(PictureFile(pdf(), "a.pdf", page=2, dpi=72.0))
    assert (third.width, third.height) == (72, 144)
    dark = (third.grey < 128).any(0)
    assert dark.sum() == 20
    assert decode(PictureFile(gauge_pdf("a4"), "g.pdf")).pages == 1


@pytest.mark.parametrize(
    ("file", "says"),
    [
        (PictureFile(pdf(), "a.pdf", page=7), "has 3 pages, and no page 8"),
        (PictureFile(pdf(), "a.pdf", dpi=90_000.0), "choose fewer dpi"),
        (PictureFile(pdf()[:300], "a.pdf"), "damaged or cut short"),
    ],
)
def test_pages_that_cannot_be_had_are_explained(file, says):
    with pytest.raises(PictureError, match=says):
        decode(file)


def test_five_thousand_pages_are_no_burden():
    document = pypdfium2.PdfDocument.new()
    for _ in range(5000):
        document.new_page(72, 72)
    stream = io.BytesIO()
    document.save(stream)
    last = decode(PictureFile(stream.getvalue(), "long.pdf", page=4999, dpi=36.0))
    assert (last.width, last.pages) == (36, 5000)


def test_a_locked_pdf_is_told():
    from reportlab.lib.pdfencrypt import StandardEncryption
    from reportlab.pdfgen.canvas import Canvas

    stream = io.BytesIO()
    canvas = Canvas(stream, encrypt=StandardEncryption("secret", ownerPassword="owner"))
    canvas.drawString(10, 10, "x")
    canvas.save()
    with pytest.raises(PictureError, match="locked with a password"):
        decode(PictureFile(stream.getvalue(), "a.pdf"))


def svg(inside: str) -> PictureFile:
    return PictureFile(
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink">'
        f"{inside}</svg>".encode(),
        "a.svg",
    )


def test_the_largest_picture_inside_an_svg_is_taken_out():
    small = base64.b64encode(encoded(Image.new("L", (4, 4)), "PNG").data).decode()
    noise = np.random.default_rng(0).integers(0, 255, (30, 50), np.uint8)
    large = base64.b64encode(encoded(Image.fromarray(noise), "PNG").data).decode()
    file = svg(
        f'<image xlink:href="data:image/png;base64,{small}"/>'
        f'<g><image href="data:image/png;base64,{large}"/></g>'
    )
    assert (decode(file).grey == noise).all()
    assert decode_colour(file).shape == (30, 50, 3)


@pytest.mark.parametrize(
    ("file", "says"),
    [
        (svg('<path d="M0 0h9v9z"/>'), "no picture in a.svg, only outlines"),
        (svg('<image href="other.png"/>'), "lies in another file"),
        (PictureFile(b"<svg><g></svg>", "a.svg"), "damaged"),
        (
            PictureFile(
                b'<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
                b"<svg>&b;</svg>",
                "a.svg",
            ),
            "defines entities",
        ),
    ],
)
def test_svgs_without_a_picture_to_take_are_explained(file, says):
    with pytest.raises(PictureError, match=says):
        decode(file)


def test_a_tiff_has_pages_and_a_photo_its_lens():
    stream = io.BytesIO()
    pages = [Image.new("L", (10 + n, 8), 40 * n) for n in range(3)]
    pages[0].save(stream, "TIFF", save_all=True, append_images=pages[1:])
    second = decode(PictureFile(stream.getvalue(), "a.tif", page=1))
    assert (second.width, second.pages) == (11, 3)
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = 26
    photo = decode(encoded(Image.new("L", (9, 9)), "JPEG", exif=exif))
    assert photo.focal35 == 26.0
