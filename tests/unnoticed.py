"""Which public functions of the core could go wrong unnoticed: ``python -m tests.unnoticed [PART OF A NAME ...]``.

First the core suite runs once, and it is noted which tests pass through what. Then each function in turn gives a little
more than it should (numbers 2 % more, truth turned over, indices shifted by one, arrays first of what holds several),
and the quickest of its tests run, each time in a process of its own. What all of them let pass is printed: a fault that
no test catches, or a result whose first number says little; look before you believe it.
"""

from __future__ import annotations

import dataclasses
import functools
import importlib
import inspect
import os
import pkgutil
import signal
import sys
import time
import types
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from scipy import sparse

import plethos.core

LEAST, MOST = 6.0, 90  # seconds of tests for each function; after how many it is given up
WRAPPED = (classmethod, staticmethod, property, functools.cached_property)


@dataclasses.dataclass
class Public:
    """A public function, or a member of a public class: where it hangs, and the tests that pass through it."""

    name: str
    owner: Any
    attribute: str
    seconds: dict[str, float] = dataclasses.field(default_factory=dict)

    def wrap(self, around: Callable[[Callable[..., Any]], Callable[..., Any]]) -> None:
        """Put something round it, wherever it was imported to."""
        own = vars(self.owner)[self.attribute]
        if inspect.isclass(self.owner):
            inner = next((f for f in (getattr(own, n, None) for n in ("__func__", "fget", "func")) if f), own)
            fresh = type(own)(around(inner)) if isinstance(own, WRAPPED) else around(own)
            if isinstance(fresh, functools.cached_property):
                fresh.__set_name__(self.owner, self.attribute)
            type.__setattr__(self.owner, self.attribute, fresh)
            return
        fresh = around(own)
        for module in [m for n, m in sys.modules.items() if n.startswith(("plethos", "tests"))]:
            for holder in [vars(module), *(v for v in vars(module).values() if isinstance(v, dict))]:
                for key in [k for k, v in holder.items() if v is own]:
                    holder[key] = fresh


def publics() -> Iterator[Public]:
    """Everything public of the core that is plain Python; what is compiled is broken by hand."""
    for found in pkgutil.walk_packages(plethos.core.__path__, "plethos.core."):
        module = importlib.import_module(found.name)
        short = found.name.removeprefix("plethos.core.")
        for name, value in list(vars(module).items()):
            if name.startswith("_") or getattr(value, "__module__", None) != found.name:
                continue
            if isinstance(value, types.FunctionType):
                yield Public(f"{short}.{name}", module, name)
            elif inspect.isclass(value) and not getattr(value, "_is_protocol", False):
                for attribute, member in vars(value).items():
                    if not attribute.startswith("_") and isinstance(member, (types.FunctionType, *WRAPPED)):
                        yield Public(f"{short}.{name}.{attribute}", value, attribute)


def bent(value: Any) -> Any:
    """A little off; None where nobody knows how."""
    if isinstance(value, bool | np.bool_):
        return not value
    if isinstance(value, int | np.integer):
        return value + 1
    if isinstance(value, float | np.floating):
        return type(value)(value * 1.02 + 0.002)
    if isinstance(value, np.ndarray) and value.size:
        if value.dtype.kind == "f":
            return (value * 1.02 + 0.002).astype(value.dtype)
        if value.dtype.kind == "b":
            return np.where(np.arange(value.size).reshape(value.shape) % max(value.size // 2, 1) == 0, ~value, value)
        return np.roll(value, 1) if value.dtype.kind in "iu" else None
    if sparse.issparse(value):
        return value * 1.02
    if isinstance(value, types.GeneratorType):
        return (x if (b := bent(x)) is None else b for x in value)
    if isinstance(value, dict) and value:
        last = next(reversed(value))
        return {k: v for k, v in value.items() if k != last}
    if isinstance(value, list | tuple) and value:
        for k, part in sorted(enumerate(value), key=lambda p: not isinstance(p[1], np.ndarray)):
            if (off := bent(part)) is not None:
                parts = [*value[:k], off, *value[k + 1 :]]
                return type(value)(*parts) if hasattr(value, "_fields") else type(value)(parts)
        return value[:-1]
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        fields = [(f.name, getattr(value, f.name)) for f in dataclasses.fields(value) if f.init]
        for name, part in sorted(fields, key=lambda p: not isinstance(p[1], np.ndarray)):
            if not isinstance(part, str) and (off := bent(part)) is not None:
                return dataclasses.replace(value, **{name: off})
    return None


def noted(every: list[Public], suite: unittest.TestSuite) -> None:
    """Run the suite once, and note for each function which tests pass through it and how long they take."""
    passed: dict[str, set[str]] = {p.name: set() for p in every}
    now = [""]
    for public in every:

        def around(call: Callable[..., Any], seen: set[str] = passed[public.name]) -> Callable[..., Any]:
            @functools.wraps(call)
            def counted(*given: Any, **named: Any) -> Any:
                seen.add(now[0])
                return call(*given, **named)

            return counted

        public.wrap(around)

    class Noting(unittest.TestResult):
        def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802  as unittest calls it
            now[0], self.begun = test.id(), time.monotonic()
            super().startTest(test)

        def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
            for public in every:
                if test.id() in passed[public.name]:
                    public.seconds[test.id()] = time.monotonic() - self.begun
            super().stopTest(test)

    suite.run(Noting())


def _let_pass(public: Public, names: list[str]) -> bytes:
    """What some tests let pass of a function whose results are bent; nothing when one of them fails."""
    silent = os.open(os.devnull, os.O_WRONLY)
    os.dup2(silent, 1)
    os.dup2(silent, 2)
    changed = [0]

    def around(call: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(call)
        def off(*given: Any, **named: Any) -> Any:
            value = call(*given, **named)
            other = bent(value)
            changed[0] += other is not None
            return value if other is None else other

        return off

    public.wrap(around)
    result = unittest.TestResult()
    result.failfast = True
    signal.alarm(MOST)
    unittest.defaultTestLoader.loadTestsFromNames(names).run(result)
    if result.failures or result.errors:
        return b""
    return b"unnoticed" if changed[0] else b"gives nothing that can be bent"


def told(public: Public) -> str:
    """What the quickest tests say of a function that gives a little more than it should."""
    names: list[str] = []
    for name in sorted(public.seconds, key=lambda n: public.seconds[n]):
        if names and sum(public.seconds[n] for n in names) > LEAST:
            break
        names.append(name)
    if not names:
        return "never called"
    reading, writing = os.pipe()
    if (child := os.fork()) == 0:
        try:
            os.write(writing, _let_pass(public, names))
        finally:
            os._exit(0)  # whatever happens: it must not go on as its parent
    os.close(writing)
    with os.fdopen(reading, "rb") as said:
        word = said.read().decode()
    os.waitpid(child, 0)
    return f"{word} by {len(names)} of {len(public.seconds)} tests" if word else ""


def main(*wanted: str) -> None:
    """Print what nobody notices."""
    root = Path(__file__).parents[1]
    every = [p for p in publics() if not wanted or any(w in p.name for w in wanted)]
    suite = unittest.defaultTestLoader.discover(str(root / "tests" / "core"), top_level_dir=str(root))
    noted(every, suite)
    for public in every:
        if said := told(public):
            print(f"{public.name}: {said}", flush=True)


if __name__ == "__main__":
    main(*sys.argv[1:])
