"""The smallest application a server can carry; its server waits less long than the shop's."""

from kentrobar.site import worker

worker.HEAD_S, worker.LOOK_EVERY_S = 1.0, 0.2


def application(environ, start_response):
    body = environ["wsgi.input"].read() if environ["REQUEST_METHOD"] == "POST" else b""
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [f"{len(body)}".encode()]
