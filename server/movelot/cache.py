"""Redis as a cache that may be lost: what it cannot tell is computed anew, what it cannot keep is not kept."""

from __future__ import annotations

import json
import logging
from collections.abc import Iterable
from typing import Any

from django.core.cache.backends.base import DEFAULT_TIMEOUT
from django.core.cache.backends.redis import RedisCache
from redis.exceptions import RedisError

log = logging.getLogger(__name__)


class JsonSerializer:
    """Values as JSON: what somebody wrote into Redis can be wrong, but never code."""

    def dumps(self, value: Any) -> bytes:
        return json.dumps(value).encode()

    def loads(self, data: bytes) -> Any:
        return json.loads(data)


class LosableRedisCache(RedisCache):
    """Everything is a miss while Redis is away. It is empty when it comes back, so nothing old is met then."""

    def get(self, key: Any, default: Any = None, version: int | None = None) -> Any:
        try:
            return super().get(key, default, version)
        except RedisError:
            return default

    def get_many(self, keys: Iterable[Any], version: int | None = None) -> dict[Any, Any]:
        try:
            return super().get_many(keys, version)
        except RedisError:
            return {}

    def set(self, key: Any, value: Any, timeout: Any = DEFAULT_TIMEOUT, version: int | None = None) -> None:
        try:
            super().set(key, value, timeout, version)
        except RedisError as error:
            log.warning("not kept in the cache: %s", type(error).__name__)

    def add(self, key: Any, value: Any, timeout: Any = DEFAULT_TIMEOUT, version: int | None = None) -> bool:
        try:
            return super().add(key, value, timeout, version)
        except RedisError:
            return False

    def incr(self, key: Any, delta: int = 1, version: int | None = None) -> int:
        try:
            return super().incr(key, delta, version)
        except RedisError as error:
            raise ValueError(f"There is no {key} while Redis is away.") from error

    def set_many(self, data: dict[Any, Any], timeout: Any = DEFAULT_TIMEOUT, version: int | None = None) -> list[Any]:
        try:
            return super().set_many(data, timeout, version)
        except RedisError as error:
            log.warning("not kept in the cache: %s", type(error).__name__)
            return list(data)
