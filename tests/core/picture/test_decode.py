import io
import struct
import zlib

import numpy as np
import pytest
from PIL import Image

from silhueta.core.errors import PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.decode import decode, decode_colour, read_picture_file
from silhueta.core.picture.formats import FORMATS
from tests.conftest import encoded

RAMP = np.tile(np.arange(0, 240, 20, dtype=np.uint8), (8, 1))
RAMP[0] = 200  # so that up and down differ


@pytest.mark.parametrize("kind", sorted(FORMATS))
def test_every_format_gives_the_same_greys(kind):
    options = {
        "JPEG": {"quality": 100},
        "WEBP": {"lossless": True},
        "HEIF": {"quality": -1},
        "AVIF": {"quality": 100},
    }.get(kind, {})
    picture = decode(encoded(Image.fromarray(RAMP), kind, **options))
    assert picture.format == kind
    assert (picture.width, picture.height) == (12, 8)
    assert np.abs(picture.grey.astype(int) - RAMP).max() <= {"JPEG": 3, "HEIF": 3, "AVIF": 3}.get(
        kind, 0
    )
    assert not picture.grey.flags.writeable


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_orientation_is_honoured(orientation):
    exif = Image.Exif()
    exif[0x0112] = orientation
    # what a camera turned that way would have stored (CIPA DC-008, Exif 2.32, tag 274)
    undo = {
        1: lambda a: a,
        2: np.fliplr,
        3: lambda a: np.rot90(a, 2),
        4: np.flipud,
        5: lambda a: a.T,
        6: lambda a: np.rot90(a, 1),
        7: lambda a: np.rot90(a, 2).T,
        8: lambda a: np.rot90(a, -1),
    }[orientation]
    stored = Image.fromarray(np.ascontiguousarray(undo(RAMP)))
    assert np.array_equal(decode(encoded(stored, "PNG", exif=exif)).grey, RAMP)


@pytest.mark.parametrize(
    ("written", "trusted", "told"),
    [((300, 300), 300, 300), ((72, 72), None, 72), ((96, 96), None, 96), ((300, 150), None, None)],
)
def test_a_files_dpi_is_taken_unless_it_means_unknown(written, trusted, told):
    for kind in ("PNG", "JPEG", "TIFF"):
        picture = decode(encoded(Image.fromarray(RAMP), kind, dpi=written))
        assert picture.told_dpi == (None if told is None else pytest.approx(told, abs=0.02))
        assert picture.dpi == (None if trusted is None else pytest.approx(trusted, abs=1e-9))


def test_no_dpi_is_none():
    picture = decode(encoded(Image.fromarray(RAMP), "PNG"))
    assert picture.dpi is None
    assert picture.told_dpi is None


def test_clear_parts_lie_on_white():
    pixels = np.zeros((2, 2, 4), np.uint8)
    pixels[0, 0] = [0, 0, 0, 255]
    pixels[0, 1] = [0, 0, 0, 128]
    for kind in ("PNG", "WEBP", "TIFF"):
        options = {"lossless": True} if kind == "WEBP" else {}
        grey = decode(encoded(Image.fromarray(pixels), kind, **options)).grey
        assert grey[0].tolist() == [0, 127]
        assert grey[1].tolist() == [255, 255]


def test_a_palette_with_a_clear_colour_lies_on_white():
    image = Image.new("P", (2, 1), 0)
    image.putpalette([0, 0, 0, 10, 10, 10])
    image.putpixel((1, 0), 1)
    for kind in ("PNG", "GIF"):
        assert decode(encoded(image, kind, transparency=0)).grey[0].tolist() == [255, 10]


@pytest.mark.parametrize("kind", ["PNG", "TIFF"])
def test_sixteen_bits_stay_sixteen_bits(kind):
    values = np.array([[0, 1000, 65535]], np.uint16)
    picture = decode(encoded(Image.fromarray(values), kind))
    assert picture.grey.dtype == np.uint16
    assert picture.grey.tolist() == values.tolist()
    assert picture.top == 65535


def test_a_tiff_of_real_numbers_is_stretched():
    values = np.array([[0.0, 0.5, 1.0]], np.float32)
    assert decode(encoded(Image.fromarray(values), "TIFF")).grey.tolist() == [[0, 128, 255]]


def test_colour_becomes_luma():
    # ITU-R BT.601: 0.299 R + 0.587 G + 0.114 B
    pixels = np.array([[[255, 0, 0], [0, 255, 0], [0, 0, 255]]], np.uint8)
    assert decode(encoded(Image.fromarray(pixels), "PNG")).grey.tolist() == [[76, 150, 29]]


def test_cmyk_and_one_bit_are_read():
    cmyk = Image.new("CMYK", (2, 1), (0, 0, 0, 0))
    cmyk.putpixel((1, 0), (0, 0, 0, 255))
    assert decode(encoded(cmyk, "TIFF")).grey[0].tolist() == [255, 0]
    bits = Image.new("1", (2, 1), 1)
    bits.putpixel((1, 0), 0)
    assert decode(encoded(bits, "PNG")).grey[0].tolist() == [255, 0]


def png_header(width: int, height: int) -> bytes:
    head = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    chunk = b"IHDR" + head
    rest = struct.pack(">I", 500) + b"IDAT" + b"x\x9c"
    return (
        b"\x89PNG\r\n\x1a\n"
        + struct.pack(">I", 13)
        + chunk
        + struct.pack(">I", zlib.crc32(chunk))
        + rest
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not a picture"),
        (b"hello, this is no picture at all", "not a picture"),
        (b"\x89PNG\r\n\x1a\n", "not a picture|damaged"),
        (png_header(20_000, 20_000), "up to 200 megapixels"),
        (png_header(100, 100), "damaged or cut short"),
        (b"%PDF-1.7 something", "damaged or cut short"),
    ],
)
def test_what_is_no_picture_is_said_to_be_none(data, says):
    with pytest.raises(PictureError, match=says) as caught:
        decode(PictureFile(data, "strap.png"))
    assert "strap.png" in str(caught.value)


@pytest.mark.parametrize("kind", sorted(FORMATS))
def test_a_file_cut_short_is_never_a_traceback(kind):
    whole = encoded(
        Image.fromarray(np.random.default_rng(1).integers(0, 255, (60, 80), np.uint8)), kind
    ).data
    refused = 0
    for share in (0.02, 0.3, 0.6, 0.95):
        try:
            decode(PictureFile(whole[: int(share * len(whole))], "strap"))
        except PictureError as error:
            refused += 1
            assert "\n" not in str(error)
    assert refused >= 3


def test_a_wrong_ending_does_not_matter():
    stream = io.BytesIO()
    Image.fromarray(RAMP).save(stream, "PNG")
    assert decode(PictureFile(stream.getvalue(), "part.jpg")).format == "PNG"


def test_files_that_cannot_be_opened_say_why(tmp_path):
    with pytest.raises(PictureError, match="no such file"):
        read_picture_file(tmp_path / "gone.png")
    with pytest.raises(PictureError, match="is a folder"):
        read_picture_file(tmp_path)
    (tmp_path / "empty.png").touch()
    with pytest.raises(PictureError, match="empty"):
        read_picture_file(tmp_path / "empty.png")


@pytest.mark.parametrize("read", [decode, decode_colour], ids=["grey", "colour"])
@pytest.mark.parametrize("kind", ["PNG", "TIFF", "WEBP"])
def test_a_picture_damaged_half_way_is_never_half_shown(kind, read):
    noise = np.random.default_rng(0).integers(0, 255, (200, 160), np.uint8)
    whole = encoded(Image.fromarray(noise), kind)
    sizes = {"PNG": 0.5, "TIFF": 0.2, "WEBP": 0.5}
    if kind == "PNG":  # one byte turned in the middle of its packed rows
        data = bytearray(whole.data)
        data[round(len(data) * sizes[kind])] ^= 0xFF
    else:
        data = bytearray(whole.data[: round(len(whole.data) * sizes[kind])])
    with pytest.raises(PictureError, match="damaged or cut short"):
        read(PictureFile(bytes(data), "half.png"))


def test_sixteen_bits_have_colours_too():
    ramp = np.linspace(0, 65535, 96).astype(np.uint16).reshape(8, 12)
    file = encoded(Image.fromarray(ramp), "PNG")
    colours = decode_colour(file)
    assert np.abs(colours[..., 0].astype(float) - ramp / 257).max() <= 1
    assert (colours[..., 0] == colours[..., 2]).all()


def test_exif_that_cannot_be_read_harms_nothing():
    file = encoded(Image.fromarray(RAMP), "PNG", exif=b"Exif\0\0MM\0*\0\0\0\x08\xff\xff")
    assert (decode(file).grey == RAMP).all()
    assert decode_colour(file).shape == (*RAMP.shape, 3)
