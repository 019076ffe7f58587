"""The wheel in an environment of its own, without Node and without a working copy: it serves screens, and the demo's servers."""

from __future__ import annotations

import os
import subprocess
import sys
import sysconfig
import tarfile
import venv
import zipfile
from pathlib import Path

import httpx
import pytest
from tools.dist import main as build

from hardy_gauge import __version__
from tests.conftest import free_port, wait_for


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """The wheel and the sdist."""
    wheel, sdist = build(tmp_path_factory.mktemp("dist"))
    return wheel, sdist


@pytest.fixture(scope="module")
def installed(made: tuple[Path, Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The programs of an environment in which the wheel is installed; what it needs is lent by this one, to save the time."""
    folder = tmp_path_factory.mktemp("environment")
    venv.create(folder, with_pip=False)
    site = next(folder.glob("lib/python*/site-packages"))
    (site / "lent.pth").write_text(sysconfig.get_path("purelib"))
    install = [sys.executable, "-m", "pip", "--python", str(folder / "bin" / "python"), "install", "--no-deps", "-q"]
    subprocess.run([*install, str(made[0])], check=True, capture_output=True)
    return folder / "bin"


def environment(home: Path) -> dict[str, str]:
    """Of a user who has set nothing, and without Node."""
    return {"PATH": "/usr/bin:/bin", "HOME": str(home), "LANG": "C.UTF-8", "TMPDIR": os.environ.get("TMPDIR", "/tmp")}


def test_what_is_in_them(made: tuple[Path, Path]) -> None:
    wheel, sdist = made
    names = set(zipfile.ZipFile(wheel).namelist())
    assert {"hardy_gauge/interface/index.html", "hardy_gauge/store/migrations/env.py"} <= names
    assert any(n.startswith("hardy_gauge/interface/assets/") and n.endswith(".woff2") for n in names), (
        "fonts are shipped"
    )
    assert not any("tests/" in n or "node_modules" in n for n in names)
    with tarfile.open(sdist) as archive:
        assert any(n.endswith("src/hardy_gauge/interface/index.html") for n in archive.getnames())


def test_it_serves_screens_from_the_users_own_folder(installed: Path, tmp_path: Path) -> None:
    said = subprocess.run(
        [installed / "hardy-gauge", "--version"], env=environment(tmp_path), capture_output=True, text=True
    )
    assert said.stdout.strip() == __version__, said.stderr
    port = free_port()
    config = tmp_path / ".config" / "hardy-gauge" / "config.toml"
    config.parent.mkdir(parents=True)
    config.write_text(f'port = {port}\nlog_format = "json"\n')
    process = subprocess.Popen([installed / "hardy-gauge", "serve"], env=environment(tmp_path), cwd=tmp_path)
    try:
        wait_for(f"http://127.0.0.1:{port}/api/health", 60)
        page = httpx.get(f"http://127.0.0.1:{port}/fleet", trust_env=False)
        assert page.status_code == 200 and '<div id="app">' in page.text
        asset = page.text.partition('src="/assets/')[2].partition('"')[0]
        assert httpx.get(f"http://127.0.0.1:{port}/assets/{asset}", trust_env=False).status_code == 200
        assert (tmp_path / ".local" / "share" / "hardy-gauge" / "hardy-gauge.db").exists()
    finally:
        process.terminate()
        process.wait(30)


def test_options_count_before_the_environment_and_that_before_the_file(tmp_path: Path) -> None:
    from hardy_gauge.settings import AppSettings

    config = tmp_path / "x.toml"
    config.write_text('port = 1001\nhost = "127.0.0.2"\nallow_networks = ["10.0.0.0/8"]\nwrite_every_s = 2\n')
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("HARDY_GAUGE_CONFIG", str(config))
        patch.setenv("HARDY_GAUGE_HOST", "127.0.0.3")
        patch.delenv("HARDY_GAUGE_ALLOW_NETWORKS", raising=False)
        found = AppSettings(port=1003)
        assert (found.port, found.host, found.allow_networks, found.write_every_s) == (
            1003, "127.0.0.3", ["10.0.0.0/8"], 2.0,
        )  # fmt: skip
        assert AppSettings().port == 1001


def test_the_demo_of_an_installation(installed: Path, tmp_path: Path) -> None:
    """Its practice servers come with it; the demo itself is walked in ``tests/ui``."""
    command = [installed / "hardy-gauge-practice", "--help"]
    said = subprocess.run(command, env=environment(tmp_path), capture_output=True, text=True)
    assert said.returncode == 0 and "serve" in said.stdout
    shipped = subprocess.run(
        [installed / "python", "-c", "from practice_fleet.scenario.reading import load_scenario, shipped; print(load_scenario(shipped()).name)"],
        env=environment(tmp_path), capture_output=True, text=True, cwd=tmp_path,
    )  # fmt: skip
    assert "Quillhaven" in shipped.stdout, shipped.stderr
