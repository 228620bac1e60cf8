"""The responder under load: 50 clients at a time, slow ones and garbage, and what it takes of memory.

python -m benchmarks.responder --seconds 60
"""

import argparse
import random
import socket
import subprocess
import sys
import threading
import time
from contextlib import suppress

import httpx

TOKEN = "harbour-token"
AUTH = {"Authorization": f"Bearer {TOKEN}"}
CLIENTS, SLOW, PIECE = 50, 10, 4_000_000


def rss_mb(process: int) -> float:
    """Resident memory."""
    with open(f"/proc/{process}/status") as lines:
        return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS")) / 1024


def free_port() -> int:
    with socket.socket() as line:
        line.bind(("127.0.0.1", 0))
        return int(line.getsockname()[1])


def client(
    number: int, port: int, is_over: threading.Event, counts: dict[str, int], lock: threading.Lock
) -> None:
    """Downloads and uploads by turns, from an address of its own: one address has 24 connections at most."""
    transport = httpx.HTTPTransport(local_address=f"127.0.1.{number + 1}")
    with httpx.Client(headers=AUTH, timeout=30, transport=transport) as line:
        while not is_over.is_set():
            try:
                got = len(line.get(f"http://127.0.0.1:{port}/down?octets={PIECE}").content)
                sent = line.post(f"http://127.0.0.1:{port}/up", content=b"x" * (PIECE // 4)).json()["octets"]
                name = "right" if (got, sent) == (PIECE, PIECE // 4) else "wrong"
            except httpx.HTTPError:
                name = "failed"
            with lock:
                counts[name] = counts.get(name, 0) + 1


def nuisance(port: int, is_over: threading.Event, rng: random.Random) -> None:
    """Heads that never end, garbage, and downloads that nobody reads."""
    while not is_over.is_set():
        with suppress(OSError), socket.create_connection(("127.0.0.1", port), 5) as line:
            what = rng.randrange(3)
            if what == 0:
                line.sendall(rng.randbytes(rng.randrange(1, 20_000)))
            elif what == 1:
                line.sendall(b"GET /down HTTP/1.1\r\nHost: a\r\nX: ")
                is_over.wait(rng.uniform(1, 8))
            else:
                line.sendall(
                    f"GET /down HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer {TOKEN}\r\n\r\n".encode()
                )
                is_over.wait(rng.uniform(1, 8))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=60.0)
    seconds = parser.parse_args().seconds
    port = free_port()
    words = [sys.executable, "-m", "gray_kettle", "responder", "--host", "127.0.0.1", "--port", str(port)]
    served = subprocess.Popen([*words, "--token", TOKEN], stdout=subprocess.DEVNULL)
    time.sleep(2)
    is_over, lock, counts = threading.Event(), threading.Lock(), {}
    threads = [
        threading.Thread(target=client, args=(k, port, is_over, counts, lock), daemon=True)
        for k in range(CLIENTS)
    ]
    threads += [
        threading.Thread(target=nuisance, args=(port, is_over, random.Random(k)), daemon=True)
        for k in range(SLOW)
    ]
    print(f"before: {rss_mb(served.pid):.0f} MB")
    for thread in threads:
        thread.start()
    for k in range(6):
        time.sleep(seconds / 6)
        print(f"{(k + 1) * seconds / 6:5.0f} s: {rss_mb(served.pid):.0f} MB, {counts}", flush=True)
    is_over.set()
    for thread in threads:
        thread.join(10)
    status = httpx.get(f"http://127.0.0.1:{port}/echo", headers=AUTH, timeout=5).status_code
    print(f"after: {rss_mb(served.pid):.0f} MB, answers {status}")
    served.terminate()
    print(f"ended with {served.wait(10)}")


if __name__ == "__main__":
    main()
