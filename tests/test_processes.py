"""Work in several processes: the same results in the same order, whatever happens to the processes."""

import os
import signal
import subprocess
import sys
import time

import pytest

from gray_kettle import processes


def squared(number):
    return number * number


def fatal(number):
    """Ends the process of the pool that is asked for it; the one that asked computes it then."""
    if number == 5 and processes.parent_process() is not None:
        os._exit(3)
    return -number


@pytest.mark.parametrize("function", [squared, fatal])
def test_results_come_in_the_order_of_the_jobs(monkeypatch, function):
    monkeypatch.setenv(processes.VARIABLE, "2")
    jobs = iter(range(12))
    assert list(processes.in_processes(function, jobs, patience_s=0.0)) == [
        (k, function(k)) for k in range(12)
    ]


def test_nothing_outlives_who_asked(tmp_path):
    program = tmp_path / "asks.py"
    program.write_text(
        "import time\nfrom gray_kettle.processes import pool_of\n"
        "if __name__ == '__main__':\n"
        "    pool = pool_of(2)\n"
        "    print(*pool.map(abs, [1, 2]), *pool._processes, flush=True)\n    time.sleep(60)\n"
    )
    with subprocess.Popen([sys.executable, program], stdout=subprocess.PIPE, text=True) as asking:
        one, two, *numbers = map(int, asking.stdout.readline().split())
        assert (one, two) == (1, 2)
        asking.send_signal(signal.SIGKILL)
    end_s = time.monotonic() + 10
    while any(is_running(number) for number in numbers) and time.monotonic() < end_s:
        time.sleep(0.05)
    assert numbers
    assert not any(is_running(number) for number in numbers)


def is_running(process):
    try:
        with open(f"/proc/{process}/stat") as state:
            return state.read().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False
