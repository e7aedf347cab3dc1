"""After the warm-up nothing a user does first has to be compiled."""

import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

# signatures, so that what an earlier run left on the disk makes no difference
_COUNT = """
import gc
from numba.core.registry import CPUDispatcher
from silhueta.core import warm

def known():
    ours = [
        d
        for d in gc.get_objects()
        if isinstance(d, CPUDispatcher) and d.py_func.__module__.startswith("silhueta")
    ]
    return {{(d.py_func.__qualname__, str(s)) for d in ours for s in d.signatures}}

warm.main()
before = known()
from silhueta.cli import app
for call in {calls!r}:
    app(call, standalone_mode=False)
print("compiled", sorted(known() - before))
"""


@pytest.mark.timeout(300)
def test_nothing_is_compiled_after_the_warm_up(tmp_path):
    grey = np.full((200, 260), 240, np.uint8)
    grey[40:150, 50:200] = 20
    grey[70:110, 90:140] = 240
    pictures = {
        "a.png": grey,
        "b.png": grey.astype(np.uint16) * 257,
        "c.png": np.dstack([grey, grey, np.full_like(grey, 250)]),
    }
    for name, values in pictures.items():
        Image.fromarray(values).save(tmp_path / name)
    drawing = tmp_path / "d.svg"
    drawing.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm">'
        '<path d="M10 10C30 0 60 0 80 10L80 200L10 200z"/><circle cx="80" cy="90" r="40"/></svg>'
    )
    out = str(tmp_path / "out.dxf")
    calls = [["trace", str(tmp_path / name), "-o", out, "--dpi", "96"] for name in pictures]
    calls += [[*calls[0], "--pen", "centre"], [*calls[2], "--colours", "2"]]
    calls += [["tidy", str(drawing), "-o", out]]
    calls += [["cut", str(drawing), "-o", out, "--process", "plasma", "--quiet"]]
    code = _COUNT.format(calls=calls)
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip().splitlines()[-1] == "compiled []"
