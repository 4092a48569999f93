"""One of the web server's processes: waitress, on a socket that it shares with its sisters.

Waitress takes requests in and hands answers out by itself and gives a thread only what has come in whole: a slow
connection costs a file number, not a thread. Start it with the number of an open, listening socket.
"""

import resource
import signal
import socket
import sys

from waitress import serve

from pulley.web.wsgi import application

THREADS = 12
CONNECTIONS = 4000  # of one process
IDLE = 60  # seconds after which a connection on which nothing happens is closed
LARGEST = 320 * 2**20  # bytes of a request; what is a little too large for Pulley gets a sentence from itself


def _end(_number: int, _frame: object) -> None:
    sys.exit(0)  # waitress lets the requests that are being answered end


def main(number: int) -> None:
    """Serve until told to stop."""
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(most, 4 * CONNECTIONS), most))
    signal.signal(signal.SIGTERM, _end)
    serve(
        application,
        sockets=[socket.socket(fileno=number)],
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE,
        cleanup_interval=10,
        max_request_body_size=LARGEST,
        asyncore_use_poll=True,
        clear_untrusted_proxy_headers=False,  # the demo looks at them, and settings say which one counts
        ident=None,
    )


if __name__ == "__main__":
    main(int(sys.argv[1]))
