"""A small application of another origin that shows one page to people Moorland has no account of: the demo's land portal."""

import html
import http.server
import os
import secrets
import sys
import time
import urllib.parse
from pathlib import Path

import jwt
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric import ec

from demo.people import LANDHOLDERS

#: The issuer, whom its tokens are for, and the page it shows.
NAME, AUDIENCE, PAGE = "land-portal", "moorland-demo", "lease-payments"
SECONDS = 120
#: Who is signed in to the portal, by the number it knows them by.
PEOPLE = {number: LANDHOLDERS[number - 1] for number in (1, 3, 5, 8)}

_PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Land portal</title>
<style>
body {{ margin: 0; font: 16px/1.5 Georgia, serif; background: #eef3ea; color: #23301f; display: grid; grid-template-rows: auto 1fr; height: 100vh; }}
header {{ padding: 14px 24px; background: #2f4a2b; color: #fff; display: flex; gap: 18px; align-items: baseline; flex-wrap: wrap; }}
header b {{ font-size: 20px; }}
select {{ font: inherit; }}
main {{ padding: 14px 24px; display: grid; grid-template-rows: auto 1fr; gap: 10px; min-height: 0; }}
#vouch {{ display: none; }}
p {{ margin: 0; max-width: 70em; }}
iframe {{ width: 100%; height: 100%; border: 1px solid #9db394; background: #fff; }}
</style></head><body>
<header><b>Land portal</b><span>another application, of another origin</span>
<form method="get"><label>Signed in here as <select name="who" onchange="this.form.submit()">{people}</select></label></form></header>
<main><p>The page below comes from Moorland, which has no account of this person: this portal vouches for them with a signed token, good for two minutes
and for one use. Choose somebody else, and the page shows theirs.</p>
<form id="vouch" method="post" action="{embed}" target="moorland"><input type="hidden" name="token" value="{token}"></form>
<iframe name="moorland" title="Lease payments"></iframe></main>
<script>document.getElementById("vouch").submit()</script>
</body></html>"""


def private_key(folder: Path) -> ec.EllipticCurvePrivateKey:
    """The portal's own key, made the first time."""
    path = folder / "land-portal.key"
    if not path.exists():
        made = ec.generate_private_key(ec.SECP256R1())
        written = made.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        with os.fdopen(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "wb") as opened:
            opened.write(written)
    key = serialization.load_pem_private_key(path.read_bytes(), None)
    assert isinstance(key, ec.EllipticCurvePrivateKey)
    return key


def public_key(folder: Path) -> str:
    """What Moorland is told of it."""
    form = serialization.PublicFormat.SubjectPublicKeyInfo
    return private_key(folder).public_key().public_bytes(serialization.Encoding.PEM, form).decode()


def token_for(folder: Path, who: int) -> str:
    """What the portal says of one of its people."""
    now = int(time.time())
    claims = {"iss": NAME, "aud": AUDIENCE, "sub": f"holder-{who}", "iat": now, "exp": now + SECONDS, "jti": secrets.token_urlsafe(12)}
    return jwt.encode({**claims, "groups": ["landholders"], "moorland": {"landholder_id": who}}, private_key(folder), algorithm="ES256", headers={"kid": NAME})


def serve(folder: Path, port: int, moorland: int) -> None:
    """Serves the portal on the loopback address."""

    class Portal(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            """The one page there is."""
            address = urllib.parse.urlsplit(self.path)
            if address.path != "/":
                self.send_error(404)
                return
            asked = urllib.parse.parse_qs(address.query).get("who", ["3"])[0]
            who = int(asked) if asked.isdigit() and int(asked) in PEOPLE else 3
            people = "".join(f'<option value="{number}"{" selected" if number == who else ""}>{html.escape(name)}</option>' for number, name in PEOPLE.items())
            embed = f"http://localhost:{moorland}/embed/{PAGE}"
            body = _PAGE.format(people=people, embed=embed, token=token_for(folder, who)).encode()
            self.send_response(200)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.send_header("Content-Length", str(len(body)))
            self.send_header("Cache-Control", "no-store")
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            """Nothing is told."""

    http.server.ThreadingHTTPServer(("127.0.0.1", port), Portal).serve_forever()


if __name__ == "__main__":
    serve(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))
