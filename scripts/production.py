"""Prove docs/OPERATE.md on this machine: the site in production mode, on a database of its own, behind a TLS proxy.

python scripts/production.py
"""

from __future__ import annotations

import asyncio
import os
import secrets
import shutil
import ssl
import subprocess
import tempfile
import threading
import time
from pathlib import Path

import httpx
import serve

BASE = Path(__file__).resolve().parents[1]
PASSWORD = "weir-and-sluice-99"


def manage(env: dict[str, str], *words: str, told: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [serve.PYTHON, str(BASE / "server" / "manage.py"), *words], env=env, input=told, text=True, capture_output=True,
        check=False,
    )  # fmt: skip


class Proxy:
    """A TLS proxy as small as can be: it ends TLS and says where a request comes from."""

    def __init__(self, folder: Path, target: int) -> None:
        self.target, self.port = target, serve.free_port(8800)
        key, self.certificate = folder / "key.pem", folder / "certificate.pem"
        subprocess.run(
            ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "1", "-subj", "/CN=localhost",
             "-addext", "subjectAltName=DNS:localhost", "-keyout", str(key), "-out", str(self.certificate)],
            check=True, capture_output=True,
        )  # fmt: skip
        self.context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
        self.context.load_cert_chain(self.certificate, key)
        threading.Thread(target=lambda: asyncio.run(self._serve()), daemon=True).start()

    async def _serve(self) -> None:
        server = await asyncio.start_server(self._one, "127.0.0.1", self.port, ssl=self.context)
        async with server:
            await server.serve_forever()

    async def _one(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = await reader.readuntil(b"\r\n\r\n")
        said = b"X-Forwarded-Proto: https\r\nX-Forwarded-For: 203.0.113.7\r\nConnection: close\r\n\r\n"
        back, forth = await asyncio.open_connection("127.0.0.1", self.target)
        forth.write(head[:-2] + said)

        async def pump(a: asyncio.StreamReader, b: asyncio.StreamWriter) -> None:
            while data := await a.read(65536):
                b.write(data)
                await b.drain()
            b.close()

        await asyncio.gather(pump(reader, forth), pump(back, writer), return_exceptions=True)


def check(what: str, holds: object) -> None:
    print(f"  {'ok' if holds else 'FAILED'}   {what}", flush=True)
    if not holds:
        raise SystemExit(1)


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="tectogon-production-"))
    folder.chmod(0o755)
    os.environ["TECTOGON_VAR"] = str(folder)
    running: list[subprocess.Popen[bytes]] = []
    try:
        base = {**serve.environment(), "TECTOGON_MODE": "production"}
        bare = manage({k: v for k, v in base.items() if k != "TECTOGON_DB_PASSWORD"}, "check")
        check("it does not start on defaults", bare.returncode and "TECTOGON_SECRET" in bare.stderr)
        check("and names all that is missing", all(
            f"TECTOGON_{name}" in bare.stderr for name in ("HOSTS", "ORIGIN", "DB_PASSWORD", "MAIL_HOST")
        ))  # fmt: skip
        port = serve.free_port(8850)
        proxy = Proxy(folder, port)
        origin = f"https://localhost:{proxy.port}"
        env = {
            **base,
            "TECTOGON_SECRET": secrets.token_urlsafe(50),
            "TECTOGON_HOSTS": "localhost,tectogon.example.com",
            "TECTOGON_ORIGIN": origin,
            "TECTOGON_MAIL_FOLDER": str(folder / "mail"),
            "TECTOGON_WORKERS": "1",
        }
        told = manage(env, "check", "--deploy", "--fail-level", "ERROR")
        check("Django's own check for deployment finds no error", told.returncode == 0)
        check("the schema is made", manage(env, "migrate", "-v", "0").returncode == 0)
        weak = manage(env, "first_owner", "olga", "Fernmoor", told="password\n")
        check("a weak password is refused", weak.returncode and "too common" in weak.stderr)
        check(
            "the first owner is made",
            manage(env, "first_owner", "olga", "Fernmoor", told=f"{PASSWORD}\n").returncode == 0,
        )
        running.append(serve.start(serve.command(port=port, workers=("1",)), env))
        deadline = time.monotonic() + 60
        while not serve.answers(port):
            assert time.monotonic() < deadline, "the web process does not answer"
            time.sleep(0.2)
        with httpx.Client(base_url=origin, verify=ssl.create_default_context(cafile=str(proxy.certificate)),
                          headers={"Referer": origin}, timeout=60) as client:  # fmt: skip
            ask(client, port)
    finally:
        for process in running:
            serve.stop(process)
        serve.database("stop")
        shutil.rmtree(folder, ignore_errors=True)


def ask(client: httpx.Client, port: int) -> None:
    check("it is ready", client.get("/api/ready").json()["ready"])
    plain = httpx.get(f"http://127.0.0.1:{port}/", headers={"Host": "localhost"})
    check(
        "plain HTTP is sent on to HTTPS", plain.status_code == 301 and plain.headers["location"].startswith("https://")
    )
    page = client.get("/")
    wanted = {
        "strict-transport-security": "max-age=31536000",
        "x-frame-options": "DENY",
        "x-content-type-options": "nosniff",
        "referrer-policy": "same-origin",
        "permissions-policy": "camera=()",
        "cross-origin-opener-policy": "same-origin",
    }
    check("headers " + ", ".join(wanted), all(v in page.headers.get(k, "") for k, v in wanted.items()))
    policy = page.headers["content-security-policy"]
    check(
        "the content security policy allows nothing inline", "unsafe" not in policy and "default-src 'self'" in policy
    )
    check("cookies are for HTTPS alone", all("Secure" in c for c in page.headers.get_list("set-cookie")))
    asset = page.text.partition('src="/assets/')[2].partition('"')[0]
    kept = client.get(f"/assets/{asset}").headers
    check("built files are kept by browsers for ever", "immutable" in kept.get("cache-control", ""))
    check("another host's name is refused", client.get("/", headers={"Host": "evil.example"}).status_code == 400)
    check("figures are not for everybody", client.get("/metrics").status_code == 403)
    check("requests have numbers", len(client.get("/api/health").headers["x-request-id"]) == 16)
    token = {"X-CSRFToken": client.cookies["csrftoken"]}
    entering = {"username": "olga", "password": PASSWORD}
    check(
        "without the token against forgery nobody gets in",
        client.post("/api/sign-in", json=entering).status_code == 403,
    )
    check("the owner signs in", client.post("/api/sign-in", json=entering, headers=token).status_code == 200)
    here = client.get("/api/me/sessions").json()[0]
    check("from the address that the proxy says", here["address"] == "203.0.113.7")
    token = {"X-CSRFToken": client.cookies["csrftoken"]}
    drawing = (BASE / "demo" / "files" / "clamp-bracket.dxf").read_bytes()
    made = client.post("/api/parts", files={"file": ("bracket.dxf", drawing)}, data={"name": "Bracket"}, headers=token)
    check("a drawing comes in", made.status_code == 200)
    asked = client.post(f"/api/parts/{made.json()['id']}/runs", json={"card": None}, headers=token).json()
    deadline = time.monotonic() + 60
    while asked["state"] in ("queued", "running") and time.monotonic() < deadline:
        time.sleep(0.2)
        asked = client.get(f"/api/computations/{asked['id']}").json()
    check("and is computed", asked["state"] == "done")
    print("The site runs as docs/OPERATE.md says.")


if __name__ == "__main__":
    main()
