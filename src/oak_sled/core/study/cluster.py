"""A spread on many machines: its variants are run by the workers of a Dask cluster, and gathered here.

Needs the extra `oak-sled[cluster]`, and the same version of this program on every worker. Variants are handed out in
pieces; what a piece needs is data, never code. A piece whose worker dies is run again by another, and comes in once.
"""

from __future__ import annotations

import functools
import hashlib
import logging
import re
import socket
import ssl
import threading
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from importlib import metadata
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import world
from oak_sled.core.base import disk
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused, one_line, refuse
from oak_sled.core.compiler.kernel import kernel_sources
from oak_sled.core.files import yard_json
from oak_sled.core.study import spread, variants
from oak_sled.core.study.spread import Found, Gathered
from oak_sled.core.study.variantrunner import Hand, Stencils
from oak_sled.core.yard.spreads import Spread, SpreadResults
from oak_sled.core.yard.yard import Yard

Told = tuple[Floats, NDArray[np.int8]]
"""The measures of a piece and how its runs ended: see `Hand.values_of`."""
PIECES = 12
"""Pieces for each thread of the cluster: so that none waits long for the last one."""
MOST_IN_PIECE = 64
ANSWERS_S = 15.0
"""s in which a scheduler must answer, and have a worker."""
GREETS_S = 5.0
"""s in which it must greet who connects."""
LOOK_S, ALONE_S = 1.0, 20.0
"""s after which it is asked whether there is a worker at all, and for which there may be none."""
ADDRESS = "the address of a Dask scheduler, such as tcp://host:8786 or tls://host:8786"


@functools.cache
def version() -> str:
    """Everything that decides the results of a run: this program, its kernel, and its compiler."""
    seal = hashlib.sha256(metadata.version("llvmlite").encode())
    for file in kernel_sources():
        seal.update(file.read_bytes())
    return f"{metadata.version('oak-sled')} {seal.hexdigest()[:16]}"


def compute(
    yard: Yard,
    plan: Spread,
    address: str,
    found: Found | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    tls: Tls | None = None,
) -> SpreadResults | None:
    """The same as `spread.compute`, by the workers of the scheduler at an address; raises `Refused` as that does, and
    where the cluster does not do its part."""
    gathered = Gathered(yard, plan, found)
    gather(gathered, address, cancelled, tls)
    return None if cancelled() else gathered.results()


def gather(
    gathered: Gathered, address: str, cancelled: Callable[[], bool] = lambda: False, tls: Tls | None = None
) -> None:
    """Has the cluster compute every variant into `gathered`: see `compute`."""
    plan = gathered.plan
    client, threads = _connect(address, tls)
    try:
        written = yard_json.dumps(gathered.yard)
        text = client.submit(_same, written, key=f"yard-{hashlib.sha256(written.encode()).hexdigest()[:32]}")
        told = gathered.plan.model_dump_json()
        size = max(1, min(MOST_IN_PIECE, plan.variants // (PIECES * threads)))
        wanted = {
            client.submit(run_some, version(), text, told, numbers, pure=False): numbers
            for numbers in spread.chunks(plan, size)
        }
        for done in _as_they_come(client, wanted, address):
            for future in done:
                if not cancelled():
                    gathered.take(wanted[future], *_answer(future, address))
            if cancelled():
                client.cancel(list(wanted))
                return
    finally:
        client.close()


@dataclass(frozen=True)
class Tls:
    """Files by which both ends of a cluster know each other: the authority that signed the certificates, the own
    certificate, and its key, each in PEM. What is empty is as Dask is configured on this machine."""

    ca_file: str = ""
    cert: str = ""
    key: str = ""

    def check(self, address: str) -> None:
        """Raises `Refused` where the files are none, or an address is not encrypted."""
        if not address.startswith("tls:"):
            raise refuse("--on", f"{address} is not encrypted", "tls://HOST:PORT with files for TLS")
        for file in (self.ca_file, self.cert, self.key):
            if file:
                disk.read_whole(Path(file), 1_000_000, "a file in PEM")
        try:
            found = ssl.create_default_context(cafile=self.ca_file or None)
            if self.cert:
                found.load_cert_chain(self.cert, self.key or None)
        except (OSError, ValueError) as error:  # errors of TLS are of the first kind
            raise refuse("--tls", f"these are no files for TLS: {one_line(str(error))[:80]}", "files in PEM") from None

    def security(self) -> Any:
        """The settings as Dask takes them."""
        from distributed.security import Security

        given = {"tls_ca_file": self.ca_file, "tls_client_cert": self.cert, "tls_client_key": self.key}
        return Security(require_encryption=True, **{name: file for name, file in given.items() if file})


def _connect(address: str, tls: Tls | None = None) -> tuple[Any, int]:
    """A client of the cluster, and how many threads its workers have."""
    try:
        from distributed import Client
    except ImportError:
        raise refuse("--on", "the extra for clusters is not installed", "pip install 'oak-sled[cluster]'") from None
    for name in ("distributed", "distributed.scheduler", "distributed.comm", "tornado.application"):
        logging.getLogger(name).setLevel(logging.CRITICAL)  # what goes wrong is said once, as a fault
    if tls is not None:
        tls.check(address)
    _knock(address)
    more = {} if tls is None else {"security": tls.security()}
    try:
        client = Client(address, timeout=ANSWERS_S, **more)
    except (OSError, ValueError, TypeError, RuntimeError, TimeoutError) as error:
        raise refuse("--on", f"no scheduler at {address}: {one_line(str(error))[:80]}", ADDRESS) from None
    try:
        client.wait_for_workers(1, timeout=ANSWERS_S)
    except TimeoutError:
        client.close()
        raise refuse("--on", f"the scheduler at {address} has no worker", "a worker that is connected to it") from None
    return client, sum(client.nthreads().values())


def _knock(address: str) -> None:
    """Raises `Refused` where an address is none, or nothing answers there: a client would wait for it, and complain."""
    found = re.fullmatch(r"(tcp|tls)://([\w.-]{1,253}|\[[0-9a-fA-F:]+\]):([0-9]{1,5})", address)
    if found is None or int(found[3]) > 65_535:
        raise refuse("--on", f"{address[:60]!r} is no address", ADDRESS)
    try:
        with socket.create_connection((found[2].strip("[]"), int(found[3])), timeout=ANSWERS_S) as line:
            line.settimeout(GREETS_S)
            greeted = found[1] != "tcp" or len(line.recv(1)) > 0  # a scheduler is the first to speak
    except TimeoutError:
        greeted = False
    except OSError as error:
        raise refuse("--on", f"nothing answers at {address} ({error.strerror or error})", ADDRESS) from None
    except ValueError:  # a name that no system can look up: empty or overlong between dots, or with a NUL
        raise refuse("--on", f"{address!r} is no address", ADDRESS) from None
    if not greeted:
        raise refuse("--on", f"what answers at {address} is no scheduler", ADDRESS)


def _as_they_come(client: Any, wanted: Iterable[Any], address: str) -> Iterator[list[Any]]:
    """The futures that are done, and now and then none; raises `Refused` where nobody is left to do the rest."""
    from distributed import wait

    left, alone = set(wanted), 0.0
    while left:
        try:
            done, left = wait(left, timeout=LOOK_S, return_when="FIRST_COMPLETED")
        except TimeoutError:
            alone = 0.0 if _has_workers(client) else alone + LOOK_S
            if alone >= ALONE_S:
                raise refuse("--on", f"the cluster at {address} has no worker left", "workers that stay up") from None
            done = set()
        yield list(done)


def _has_workers(client: Any) -> bool:
    try:
        return bool(client.nthreads())
    except OSError:  # the scheduler is gone too
        return False


def _answer(future: Any, address: str) -> Told:
    """The values of a piece; raises `Refused` for whatever went wrong with it."""
    try:
        made: Told = future.result()
    except Refused:
        raise
    except ModuleNotFoundError as error:
        raise refuse("--on", f"a worker lacks {error.name}", "oak-sled installed on every worker") from None
    except Exception as error:  # whatever may befall other machines
        words = one_line(f"{type(error).__name__}: {error}")[:160]
        raise refuse("--on", f"the cluster at {address} failed: {words}", "workers that stay up") from None
    return made


# on a worker


def _same(text: str) -> str:
    """The yard as a task of its own: it is sent once to each worker, and made again where it was lost."""
    return text


class _Here(threading.local):
    """The hand of a thread of a worker, and the spread it is for."""

    key: tuple[str, str] = ("", "")
    hand: Hand | None = None


_here = _Here()


@functools.lru_cache(maxsize=2)
def _shared(yard_text: str, plan_text: str) -> tuple[Yard, Spread, Stencils]:
    """State that the threads of a worker share."""
    yard, plan = yard_json.loads(yard_text), Spread.model_validate_json(plan_text)
    world.compile_laws(variants.job_for(yard, plan, plan.values_of(0)))
    return yard, plan, Stencils()


def run_some(wanted: str, yard_text: str, plan_text: str, numbers: list[int]) -> Told:
    """Runs variants of a spread: see `Hand.values_of`. wanted : the version that asks; raises `Refused` for another."""
    if wanted != version():
        raise refuse("--on", f"a worker runs oak-sled {version()}, not {wanted}", "the same version on every machine")
    key = (yard_text, plan_text)
    if _here.key != key or _here.hand is None:
        _here.hand, _here.key = Hand(*_shared(*key)), key
    made = _here.hand.values_of(numbers)
    assert made is not None
    return made
