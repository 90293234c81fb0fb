"""./reed bench and ./reed shots: what is needed for them, then the scripts themselves."""

from __future__ import annotations

import os
import shutil
import subprocess

from .install import built_interface, chromium, environment, node_packages, python_environment
from .postgres import Cluster
from .shell import PYTHON, ROOT, VAR


def _ready() -> None:
    python_environment(dev=True)
    node_packages()
    built_interface()
    chromium()


def bench() -> int:
    """Measure the budgets against a cluster of its own; a table, then JSON."""
    _ready()
    folder = VAR / f"bench-{os.getpid()}"
    cluster = Cluster(folder / "postgres")
    try:
        url = cluster.start()
        env = environment(url, DJANGO_ALLOW_ASYNC_UNSAFE="true", REED_TEST_FOLDER=str(folder))
        return subprocess.call([str(PYTHON), "-m", "tests.bench.run"], cwd=ROOT, env=env)
    finally:
        cluster.remove()
        shutil.rmtree(folder, ignore_errors=True)


def shots() -> int:
    """Take docs/screenshots anew from a fresh demo."""
    _ready()
    folder = VAR / f"shots-{os.getpid()}"
    try:
        env = environment("postgres://reed@127.0.0.1:1/none", REED_TEST_FOLDER=str(folder))
        env.pop("DATABASE_URL")
        return subprocess.call([str(PYTHON), "-m", "tests.bench.shots"], cwd=ROOT, env=env)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
