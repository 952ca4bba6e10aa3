"""All kinds of stand-ins: whatever module of `devices` names some, found by itself."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from types import ModuleType

from ordolex.bench import devices
from ordolex.bench.devices.base import Kinds


@cache
def _modules() -> tuple[ModuleType, ...]:
    return tuple(import_module(f"{devices.__name__}.{found.name}") for found in iter_modules(devices.__path__))


@cache
def kinds() -> Kinds:
    """Kind → what makes such a stand-in."""
    return {kind: make for module in _modules() for kind, make in getattr(module, "KINDS", {}).items()}


@cache
def tempers(kind: str) -> tuple[str, ...]:
    """Ways of its own in which a stand-in of this kind can misbehave."""
    home = next((module for module in _modules() if kind in getattr(module, "KINDS", {})), None)
    return tuple(getattr(home, "TEMPERS", ()))
