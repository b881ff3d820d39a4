"""Properties that are computed once, by several threads at a time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class kept(Generic[T]):
    """A property that is computed when it is first asked for, and kept with the object.

    As `functools.cached_property`, without the lock that this has up to Python 3.11: of one
    property only one thread at a time could compute it, of whatever objects. What two threads
    ask for at the same moment is computed twice, and must come out the same.
    """

    def __init__(self, function: Callable[[Any], T]) -> None:
        self._function, self.__doc__ = function, function.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> kept[T]: ...

    @overload
    def __get__(self, instance: object, owner: type) -> T: ...

    def __get__(self, instance: object | None, owner: type) -> kept[T] | T:
        if instance is None:
            return self
        value: T = self._function(instance)
        instance.__dict__[self._name] = value
        return value
