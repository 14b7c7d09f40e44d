"""A server that hangs, as opposed to one that ends."""

import os
import signal
import time

import psutil
import pytest

from dovrel.running import Running, parts


@pytest.mark.thorough
def test_a_server_that_hangs_is_started_anew(tmp_path, free_port, monkeypatch):
    """Stopped by a signal, it neither answers nor ends."""
    monkeypatch.setattr(parts, "HANGS_AFTER", 8.0)
    said: list[str] = []
    with Running(tmp_path / "data", free_port, [], with_demo=False, say=said.append) as running:
        running.wait_until_ready()
        (server,) = (child for child in psutil.Process().children() if "dovrel.service.main" in child.cmdline())
        os.kill(server.pid, signal.SIGSTOP)
        while not any("The server ended (it hung); it is started anew." in one for one in said):
            running._look()
            time.sleep(0.1)
        running.wait_until_ready()
        assert not psutil.pid_exists(server.pid) or psutil.Process(server.pid).status() == psutil.STATUS_ZOMBIE
