"""Things that must not drift: the API document, migrations, production settings, one-word-one-thing."""

import asyncio
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from django.conf import settings
from django.core.management import call_command

ROOT = Path(__file__).resolve().parent.parent.parent


def test_passwords_are_kept_with_argon2():
    from config import settings as real

    assert real.PASSWORD_HASHERS == ["django.contrib.auth.hashers.Argon2PasswordHasher"]


@pytest.mark.django_db
def test_no_migration_is_missing():
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)


def test_the_api_document_in_the_repository_is_the_servers():
    said = io.StringIO()
    call_command("spectacular", format="openapi-json", validate=True, fail_on_warn=True, stdout=said)
    kept = json.loads((ROOT / "web/src/api/schema.json").read_text())
    assert json.loads(said.getvalue()) == kept, (
        "run ./reed manage spectacular --format openapi-json --file web/src/api/schema.json and npm run types"
    )


def test_production_settings_pass_djangos_deployment_check():
    env = {
        **{k: v for k, v in os.environ.items() if k != "DJANGO_ALLOW_ASYNC_UNSAFE"},  # set for the browser tests only
        "PRODUCTION": "true",
        "SECRET_KEY": "k" * 20 + "-a-Long-And-Varied-Secret-0123456789-xyz!",
        "ALLOWED_HOSTS": "reed.example",
    }
    done = subprocess.run(
        [sys.executable, str(ROOT / "server/manage.py"), "check", "--deploy", "--fail-level", "WARNING"],
        env=env,
        text=True,
        capture_output=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout + done.stderr


def test_production_refuses_to_start_without_a_secret_key():
    env = {k: v for k, v in os.environ.items() if k != "SECRET_KEY"} | {"PRODUCTION": "true"}
    done = subprocess.run(
        [sys.executable, str(ROOT / "server/manage.py"), "check"], env=env, text=True, capture_output=True, check=False
    )
    assert done.returncode != 0 and "SECRET_KEY" in done.stderr


def test_nan_leaves_as_null():
    from common.rendering import CompactJson

    assert CompactJson().render({"a": [1.0, float("nan")], "b": float("inf")}) == b'{"a":[1.0,null],"b":null}'


@pytest.mark.django_db
def test_the_page_answers_on_every_path_but_not_for_missing_scripts(client, tmp_path, monkeypatch):
    monkeypatch.setattr(settings, "WEB_DIST", tmp_path)
    assert client.get("/watch/3").status_code == 503
    (tmp_path / "index.html").write_text("<title>Tall Reed</title>")
    assert b"Tall Reed" in client.get("/watch/3").content
    assert client.get("/built/none.js").status_code == 404


def test_a_listener_hands_a_message_to_the_pages_of_its_site_only():
    from common.live import Listener

    async def scene():
        listener = Listener()
        listener._listen = lambda: asyncio.sleep(0)
        mine, other = listener.join(1), listener.join(2)
        listener._spread('{"site": 1, "topics": ["readings"]}')
        for _ in range(100):
            listener._spread('{"site": 1, "topics": ["watering"]}')
        assert other.empty() and mine.full()
        listener.leave(1, mine)
        listener._spread('{"site": 1, "topics": ["notes"]}')
        assert mine.qsize() == mine.maxsize

    asyncio.run(scene())
