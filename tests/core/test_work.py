import time

import pytest

from silhueta.core.errors import StoppedError
from silhueta.core.work import Work


def test_progress_names_the_stage_and_seconds_add_up():
    heard = []
    work = Work(lambda stage, share: heard.append((stage, share)))
    for _ in range(2):
        with work.stage("fit"):
            work.step(0.5)
            time.sleep(0.02)
    assert heard == [("fit", 0.0), ("fit", 0.5)] * 2
    assert set(work.seconds) == {"fit"}
    assert work.seconds["fit"] >= 0.04


def test_a_stop_ends_the_work_at_its_next_step():
    work = Work()
    work.stop()
    assert work.stopped
    with pytest.raises(StoppedError):
        work.step(0.1)
    with pytest.raises(StoppedError), work.stage("fit"):
        pass
