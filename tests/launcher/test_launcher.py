"""What ./reed does before anything is installed: clear failures, free ports, keys, a cluster, processes kept running."""

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from launcher import doctor, install, postgres, shell, start, testing
from launcher.shell import ROOT, StepFailed, free_port, free_port_row
from launcher.testing import code_lines

KEEP = str(ROOT / "launcher" / "keep.py")


def wait_for(condition, seconds=10):
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if condition():
            return True
        time.sleep(0.05)
    return False


def test_a_failed_step_says_which_why_and_what_to_do():
    with pytest.raises(StepFailed) as caught:
        shell.run("counting sheep", [sys.executable, "-c", "import sys; print('no sheep'); sys.exit(3)"], "buy sheep")
    text = str(caught.value)
    assert "counting sheep failed" in text and "no sheep" in text and "buy sheep" in text


def test_a_missing_command_is_a_failed_step_too():
    with pytest.raises(StepFailed, match="install it"):
        shell.run("looking", ["no-such-command-here"], "install it")


def test_without_root_the_exact_command_is_printed(monkeypatch):
    monkeypatch.setattr(shell, "is_root", lambda: False)
    with pytest.raises(StepFailed) as caught:
        shell.install_debian("installing PostgreSQL", ["postgresql"])
    assert "sudo apt-get install -y --no-install-recommends postgresql" in str(caught.value)


def test_a_taken_port_is_left_alone():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert free_port(port) != port


def test_ports_in_a_row_are_all_free():
    base = free_port_row(4)
    sockets = []
    try:
        for i in range(4):
            sockets.append(socket.create_server(("127.0.0.1", base + i)))
    finally:
        for s in sockets:
            s.close()
    assert len(sockets) == 4


def test_keys_are_made_once_and_readable_by_their_owner_only(tmp_path):
    first = start.keys(tmp_path)
    assert start.keys(tmp_path) == first and len(first["SECRET_KEY"]) > 40
    assert (tmp_path / "keys.json").stat().st_mode & 0o077 == 0


def test_the_procfile_listens_on_loopback_only_and_the_demos_nodes_come_with_the_demo_only(tmp_path):
    with_demo = start.procfile(8000, True, 15000, tmp_path)
    assert "--host 127.0.0.1" in with_demo and "standin:" in with_demo
    assert "standin serve" in with_demo
    without = start.procfile(8000, False, 15000, tmp_path)
    assert "standin alone" in without and "standin serve" not in without
    assert all(line.split(": ")[1].startswith("exec ") for line in with_demo.splitlines())


def test_closing_lines_of_two_runs_add_up_in_pytests_words():
    lines = [
        "=== 1 failed, 1200 passed, 2 warnings in 300.00s (0:05:00) ===",
        "==== 51 passed, 1 warning, 1 error in 200.10s ====",
    ]
    told = testing.added_up(lines, 301.5)
    assert "1 failed, 1251 passed, 3 warnings, 1 error in 301.50s" in told and testing.CLOSING.match(told)
    assert " 5 passed in 2.00s " in testing.added_up(["== 2 passed in 1s ==", "== 3 passed in 1s =="], 2)


def test_a_changed_lock_file_is_noticed(tmp_path, monkeypatch):
    monkeypatch.setattr(install, "ROOT", tmp_path)
    lock = tmp_path / "base.lock"
    lock.write_text("one==1\n")
    first = install._digest([lock])
    assert install._digest([lock]) == first
    lock.write_text("one==2\n")
    assert install._digest([lock]) != first


def test_doctor_names_a_mend_for_what_is_missing(monkeypatch, capsys):
    monkeypatch.setattr(
        doctor, "CHECKS", [("a thing", lambda: "here", "never"), ("a gap", lambda: None, "apt-get install gap")]
    )
    assert doctor.doctor() == 1
    said = capsys.readouterr().out
    assert "ok   a thing: here" in said and "MISSING a gap: mend: apt-get install gap" in said


def test_doctor_finds_this_machine_ready_to_test():
    names = {name: check() for name, check, _ in doctor.CHECKS}
    assert names["Python 3.11 or newer"] and names["PostgreSQL 15 or newer"] and names["disk"]


def test_lines_of_code_leave_blanks_and_comments_out(tmp_path):
    file = tmp_path / "a.py"
    file.write_text("# a comment\n\nx = 1\n    // also a comment\ny = 2\n")
    assert code_lines([file]) == 2


def keeper(script, tmp_path):
    path = tmp_path / "child.py"
    path.write_text(script)
    return subprocess.Popen(
        [sys.executable, KEEP, "child", sys.executable, str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )


def test_a_killed_process_is_started_again_and_stops_with_its_keeper(tmp_path):
    pids = tmp_path / "pids"
    process = keeper(
        f"import os, time\nopen({str(pids)!r}, 'a').write(f'{{os.getpid()}}\\n')\ntime.sleep(60)\n", tmp_path
    )
    try:
        started = lambda n: wait_for(lambda: pids.exists() and len(pids.read_text().split()) == n)  # noqa: E731  short and local
        assert started(1)
        os.kill(int(pids.read_text().split()[0]), signal.SIGKILL)
        assert started(2)
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(timeout=10) == 0
    last = int(pids.read_text().split()[-1])
    assert wait_for(lambda: not Path(f"/proc/{last}").exists())


def test_a_process_dies_with_a_killed_keeper(tmp_path):
    pids = tmp_path / "pids"
    process = keeper(
        f"import os, time\nopen({str(pids)!r}, 'a').write(f'{{os.getpid()}}\\n')\ntime.sleep(60)\n", tmp_path
    )
    assert wait_for(lambda: pids.exists() and pids.read_text().strip())
    process.kill()
    process.wait()
    child = int(pids.read_text().split()[0])
    assert wait_for(lambda: not Path(f"/proc/{child}").exists())


def test_a_cluster_of_our_own_is_killed_found_gone_and_started_on_the_same_port(tmp_path):
    folder = shell.VAR / f"cluster-test-{os.getpid()}" / "postgres"
    cluster = postgres.Cluster(folder, {"fsync": "off"})
    try:
        url = cluster.start()
        assert cluster.alive() and url.startswith("postgres://reed@127.0.0.1:")
        owner = cluster.data.stat().st_uid
        assert owner != 0, "PostgreSQL never runs as root"
        os.kill(int((cluster.data / "postmaster.pid").read_text().splitlines()[0]), signal.SIGKILL)
        assert wait_for(lambda: not cluster.alive())
        time.sleep(0.5)
        assert cluster.start() == url and cluster.alive()
    finally:
        cluster.remove()
    assert not cluster.alive() and not folder.exists()
    folder.parent.rmdir()


def test_a_folder_the_account_cannot_reach_is_replaced(monkeypatch):
    monkeypatch.setattr(postgres, "is_root", lambda: True)
    monkeypatch.setattr(postgres, "_can_pass", lambda _folder: False)
    assert str(postgres._reachable(Path("/tmp/anywhere/postgres"))).startswith("/var/lib/tall-reed/")
    monkeypatch.setattr(postgres, "_can_pass", lambda _folder: True)
    assert postgres._reachable(Path("/tmp/anywhere/postgres")) == Path("/tmp/anywhere/postgres")
