"""Whether light or a program made a picture."""

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from benchmarks.scans import profile
from silhueta.core.datums import DpiDatum
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.decode import decode
from silhueta.core.picture.light import stored_of
from silhueta.core.trace.job_trace import size_sigma, trace_job
from silhueta.core.trace.light import blend_of

Y, X = np.mgrid[:600, :600]
PART = np.clip(200.5 - np.hypot(X - 299.5, Y - 299.5), 0, 1)  # a disc's share of each px


def scan(seed=0, clip=1.2):
    """Stored values of a disc on paper that clips, as a scanner's light makes them."""
    rng = np.random.default_rng(seed)
    light = PART * 0.05 * (1 + 0.5 * rng.normal(0, 1, PART.shape)) + (1 - PART) * 0.9
    light = cv2.GaussianBlur(light, (0, 0), 0.8) * clip + rng.normal(0, 0.002, PART.shape)
    return np.clip(np.round(255 * stored_of(np.clip(light, 0, 1))), 0, 255).astype(np.uint8)


def kept(grey, kind, **options):
    stream = io.BytesIO()
    Image.fromarray(grey).save(stream, kind, **options)
    return PictureFile(stream.getvalue(), f"a.{kind.lower()}")


@pytest.mark.parametrize("quality", [60, 75, 95])
def test_a_scan_with_clipped_white_is_light_however_strong_its_jpeg(quality):
    picture = decode(kept(scan(), "JPEG", quality=quality))
    assert (picture.eight() == 255).mean() > 0.5
    assert blend_of(picture).light == "linear"
    assert not blend_of(picture).open


@pytest.mark.parametrize("levels", [(0, 255), (40, 200)])
@pytest.mark.parametrize("options", [{}, {"dpi": (300, 300)}])
def test_what_a_program_drew_is_stored_whatever_its_dpi(levels, options):
    dark, light = levels
    grey = np.round(light + (dark - light) * PART).astype(np.uint8)
    for kind in ("PNG", "JPEG"):
        told = blend_of(decode(kept(grey, kind, **options)))
        assert told.light == "stored"
    assert blend_of(decode(kept(grey, "PNG")), said=True).evidence > told.evidence


def test_the_tone_that_a_file_states_is_brought_to_srgbs():
    ramp = np.tile(np.arange(256, dtype=np.uint8), (16, 1))
    for colour in (False, True):
        image = np.repeat(ramp[..., None], 3, 2) if colour else ramp
        file = kept(image, "PNG", icc_profile=profile(1.8, colour))
        meant = 255 * stored_of((ramp / 255.0) ** 1.8)
        assert np.abs(decode(file).eight().astype(float) - meant).max() < 3
    assert (decode(kept(ramp, "PNG", icc_profile=b"no profile")).eight() == ramp).all()


def test_where_it_stays_open_both_answers_lie_within_what_is_claimed():
    # too blurred for a program, too clean for a scanner: nothing tells
    grey = cv2.GaussianBlur((255 * (1 - PART)).astype(np.float32), (0, 0), 2.0)
    file = kept(np.round(grey).astype(np.uint8), "PNG", dpi=(300, 300))
    job = Job(picture=file, datums=(DpiDatum(300.0),), trace=TraceSettings(speck=1.0))
    assert blend_of(decode(file)).open
    done = trace_job(job)
    stamp = done.job.traced
    assert stamp is not None
    assert stamp.blend_mm > 0.02
    wide = []
    for light in ("linear", "stored"):
        other = trace_job(Job(picture=file, datums=job.datums, trace=TraceSettings(light=light)))
        left, _, right, _ = other.job.outline.bounds
        wide.append(right - left)
        assert other.job.traced.blend_mm == 0
    left, _, right, _ = done.job.outline.bounds
    sigma = size_sigma(done.job, done.rectified)[0]
    assert max(abs(right - left - w) for w in wide) < 2 * sigma
