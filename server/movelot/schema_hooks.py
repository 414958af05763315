"""What the OpenAPI schema says besides what is declared view by view."""

from __future__ import annotations

from typing import Any

METHODS = ("get", "post", "put", "patch", "delete")
PROBLEM: dict[str, Any] = {
    "type": "object",
    "description": "What went wrong, for a person (RFC 9457): what happened, what stayed as it was, and the way on.",
    "properties": {
        "type": {"type": "string"},
        "status": {"type": "integer"},
        "code": {"type": "string"},
        "title": {"type": "string"},
        "detail": {"type": "string"},
        "hint": {"type": "string"},
        "fields": {
            "type": "object",
            "description": "What is wrong with the request, by field.",
            "additionalProperties": {"type": "array", "items": {"type": "string"}},
        },
        "changes": {
            "type": "array",
            "description": "What changed since the version that was acted on.",
            "items": {"type": "string"},
        },
    },
    "required": ["type", "status", "code", "title", "detail", "hint"],
}


def with_problems(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Every call may be answered by a problem document."""
    result["components"]["schemas"]["Problem"] = PROBLEM
    answer = {
        "description": "A problem; nothing was changed unless it says so.",
        "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for path in result["paths"].values():
        for method in METHODS:
            if method in path:
                path[method]["responses"]["4XX"] = answer
    return result


def with_lot_kinds(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """The kinds of lots that all stages together bring."""
    from movelot.lots.kinds import REGISTRY

    schemas = result["components"]["schemas"]
    schemas["LotKindName"] = {"type": "string", "enum": sorted(REGISTRY)}
    for named in ("NewLotRequest", "LotSummary", "Remedy"):
        schemas[named]["properties"]["kind"] = {"$ref": "#/components/schemas/LotKindName"}
    return result


def with_job_results(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """What each kind of job comes to, by its name: a caller that knows the kind knows the type of the result."""
    from movelot.jobs.work import KINDS

    schemas = result["components"]["schemas"]
    kinds = {name: {"$ref": f"#/components/schemas/{kind.result.__name__}"} for name, kind in sorted(KINDS.items())}
    schemas["JobResults"] = {"type": "object", "properties": kinds, "required": list(kinds)}
    job = schemas["JobAnswer"]["properties"]
    job["kind"] = {"type": "string", "enum": list(kinds)}
    job["problem"] = {"allOf": [{"$ref": "#/components/schemas/Problem"}], "nullable": True}
    return result
