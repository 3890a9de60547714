"""A mail server that no one here wrote (aiosmtpd): asks for encryption and a sign-in, says its port,
and then each message that it took as a line of JSON."""

import asyncio
import base64
import email
import email.policy
import json
import ssl
import sys

from aiosmtpd.smtp import SMTP, AuthResult, LoginPassword

folder, security = sys.argv[1:3]
tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
tls.load_cert_chain(f"{folder}/cert.pem", f"{folder}/key.pem")


class Handler:
    async def handle_EHLO(self, server, session, envelope, hostname, responses):
        self.hello = session.host_name = hostname
        return responses

    async def auth_XOAUTH2(self, server, args):
        # user=NAME ^A auth=Bearer TOKEN ^A ^A
        fields = base64.b64decode(args[1]).decode().split("\x01")
        user, bearer = fields[0].removeprefix("user="), fields[1].removeprefix("auth=Bearer ")
        return AuthResult(success=bearer == "pässword", auth_data=LoginPassword(user.encode(), b""))

    async def handle_DATA(self, server, session, envelope):
        message = email.message_from_bytes(envelope.content, policy=email.policy.default)
        told = {
            "user": session.auth_data.login.decode(),
            "to": envelope.rcpt_tos,
            "subject": message["subject"],
            "encrypted": session.ssl is not None or security == "tls",
            "hello": self.hello,
        }
        print(json.dumps(told), flush=True)
        return "250 taken"


def authenticator(server, session, envelope, mechanism, data):
    return AuthResult(success=data.password == "pässword".encode(), auth_data=data)


async def main():
    handler = Handler()
    loop = asyncio.get_running_loop()
    options = {"authenticator": authenticator, "auth_required": True, "hostname": "localhost"}
    if security == "tls":
        options["auth_require_tls"] = False
    else:
        options |= {"tls_context": tls, "require_starttls": True}
    listening = await loop.create_server(
        lambda: SMTP(handler, **options), "127.0.0.1", 0, ssl=tls if security == "tls" else None
    )
    print(listening.sockets[0].getsockname()[1], flush=True)
    await listening.serve_forever()


asyncio.run(main())
