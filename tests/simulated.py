"""The simulator instruments inside the test process, and the reader of their lines."""

import contextlib
import threading
import time

from django.conf import settings

from kentrobar.core.io.plans import dump_frame
from kentrobar.demo import simulators
from tests.core.frames import TERN


class Still:
    def gauss(self, mu, _sigma):
        return mu


class Bench:
    """The simulators on free ports, and one watch on one of their lines."""

    def __init__(self):
        for port in range(7800, 7990, 5):
            try:
                self.inside = simulators.SimulatedBench(is_warm=True)
                self.servers = simulators.serve(port, self.inside)
                self.port = port
                # As whoever keeps a server names the lines it may open.
                names = [self.url(device) for device in simulators.DEVICES]
                settings.LINES = [*names, "socket://127.0.0.1:9"]
                return
            except OSError:
                continue
        raise AssertionError("no five free ports")

    def order(self, **message):
        return simulators.order(self.port, message)

    def fault(self, device, fault):
        return self.order(order="fault", device=device, fault=fault)

    def still(self):
        """Nothing scatters, and empty scales read zero: chance has no word in what a page then
        makes of it."""
        self.inside.rng = Still()
        for device in ("scale", "second scale"):
            assert until(lambda on=device: self.inside.weigh(on)[1])
            self.inside.tare(device)

    def put(self, station, **more):
        message = {
            "name": "Tern 98 · no. 07",
            "frame": dump_frame(TERN),
            "parts": ["strings", "overgrip", "dampener"],
        }
        return self.order(order="put", station=station, **(message | more))

    def url(self, device):
        return f"socket://127.0.0.1:{self.port + 1 + simulators.DEVICES.index(device)}"

    def close(self):
        for server in self.servers:
            server.shutdown()
            server.server_close()


def until(true, seconds=20.0):
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if true():
            return True
        time.sleep(0.02)
    return False


@contextlib.contextmanager
def reading():
    """The reader of lines in a thread of this process."""
    from kentrobar.devices.reader import read_lines

    stop, said = threading.Event(), []
    reader = threading.Thread(target=read_lines, args=(stop, said.append))
    reader.start()
    try:
        assert until(lambda: said), "the reader did not begin"
        yield
    finally:
        stop.set()
        reader.join(10)
