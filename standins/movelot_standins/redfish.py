"""The Redfish side that all stand-ins share: sessions, ETags, collections with $expand, $filter and paging, errors.

Shapes follow DSP0266 (Redfish). A service is a table of routes; each handler takes a Call and returns a resource,
a Collection, or a Reply.
"""

from __future__ import annotations

import base64
import hashlib
import json
import re
import secrets
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from starlette.requests import Request
from starlette.responses import JSONResponse, Response

from movelot_standins.actions import ActionError

Resource = dict[str, Any]
PAGE_SIZE = 500
QUERIES = {"$expand", "$filter", "$top", "$skip"}
SESSION_PATH = "/redfish/v1/SessionService/Sessions"
OPEN_PATHS = {"/redfish", "/redfish/v1", "/redfish/v1/odata", "/redfish/v1/$metadata"}
# Parts that change by themselves and do not make a resource another one.
VOLATILE = {"DateTime", "PercentComplete", "MetricValues", "Timestamp"}
_CLAUSE = re.compile(r"^\s*([\w/]+)\s+(eq|ne|gt|ge|lt|le)\s+('[^']*'|[\d.]+|true|false)\s*$")


@dataclass(frozen=True)
class Collection:
    """Members of a collection, whole; the service decides what of them is shown."""

    type: str
    name: str
    members: list[Resource]


@dataclass(frozen=True)
class Reply:
    """An answer that is more than a resource."""

    status: int
    body: Resource | None = None
    headers: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Call:
    """A request, as a handler sees it: path parts, body, and the ETag the client relies on."""

    parts: dict[str, str]
    body: Resource
    path: str


Handler = Callable[[Call], Resource | Collection | Reply | Response]


def etag_of(resource: Resource) -> str:
    """A weak tag over all that matters in ``resource``."""

    def stable(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: stable(v) for k, v in value.items() if k not in VOLATILE and not k.startswith("@odata.etag")}
        return [stable(item) for item in value] if isinstance(value, list) else value

    text = json.dumps(stable(resource), sort_keys=True)
    return f'W/"{hashlib.sha256(text.encode()).hexdigest()[:16]}"'


def error(status: int, key: str, message: str, headers: dict[str, str] | None = None) -> Response:
    """The standard error body with a message of the Base registry."""
    info = {"MessageId": f"Base.1.18.{key}", "Message": message, "Severity": "Critical", "Resolution": "None."}
    body = {"error": {"code": f"Base.1.18.{key}", "message": message, "@Message.ExtendedInfo": [info]}}
    return JSONResponse(body, status_code=status, headers={"OData-Version": "4.0", **(headers or {})})


class Service:
    """One device's HTTPS face: its routes, its one account, its sessions."""

    def __init__(self, name: str, user: str, password: str) -> None:
        self.name, self.user, self.password = name, user, password
        self.sessions: dict[str, str] = {}
        self.routes: list[tuple[re.Pattern[str], str, Handler]] = []
        self.changing: Callable[[], None] = lambda: None
        self.changed: Callable[[], None] = lambda: None
        self.route("GET", SESSION_PATH, self._session_list)
        self.route("GET", SESSION_PATH + "/{id}", self._session)
        self.route("DELETE", SESSION_PATH + "/{id}", self._session_end)

    def __repr__(self) -> str:
        return f"<Service {self.name}, {len(self.routes)} routes, {len(self.sessions)} sessions>"

    def route(self, method: str, path: str, handler: Handler) -> None:
        """Answer ``method`` on ``path`` (``{part}`` matches one segment) with ``handler``."""
        pattern = re.compile(
            "^"
            + re.sub(r"\{(\w+)\}", r"(?P<\1>[^/]+)", re.escape(path).replace(r"\{", "{").replace(r"\}", "}"))
            + "/?$"
        )
        self.routes.append((pattern, method, handler))

    async def answer(self, request: Request) -> Response:
        """The whole way of a request: route, account, body, precondition, handler, shape."""
        path = request.url.path.rstrip("/") or "/"
        if request.method == "POST":
            # DSP0266: posting to a collection's Members is posting to the collection.
            path = path.removesuffix("/Members")
        if request.headers.get("odata-version", "4.0") != "4.0":
            return error(412, "PreconditionFailed", "Only OData-Version 4.0 is spoken.")
        matches = [(m, method, h) for pattern, method, h in self.routes if (m := pattern.match(path))]
        is_login = path == SESSION_PATH and request.method == "POST"
        if path not in OPEN_PATHS and not is_login and not self._known(request):
            return error(
                401, "NoValidSession", "There is no valid session.", {"WWW-Authenticate": "Basic realm=redfish"}
            )
        unknown = [name for name in request.query_params if name.startswith("$") and name not in QUERIES]
        if unknown:
            return error(501, "QueryNotSupported", f"The query {unknown[0]} is not supported.")
        body = await self._body(request)
        if isinstance(body, Response):
            return body
        if is_login:
            return self._login(body)
        if not matches:
            return error(404, "ResourceMissingAtURI", f"There is nothing at {path}.")
        found = next(
            (found for found in matches if found[1] == ("GET" if request.method == "HEAD" else request.method)), None
        )
        allow = {"Allow": ", ".join(sorted({method for _, method, _ in matches} | {"HEAD"}))}
        if found is None:
            return error(405, "OperationNotAllowed", f"{request.method} is not allowed here.", allow)
        return self._handled(request, Call(found[0].groupdict(), body, path), found[2], allow)

    def _handled(self, request: Request, call: Call, handler: Handler, allow: dict[str, str]) -> Response:
        try:
            stale = self._stale(request, call)
            if stale is not None:
                return stale
            if request.method not in ("GET", "HEAD"):
                self.changing()
            result = handler(call)
        except ActionError as refused:
            return error(refused.status, refused.key, refused.message)
        except (KeyError, TypeError, ValueError) as wrong:
            return error(400, "PropertyMissing", f"The request lacks or mistypes {wrong}.")
        if request.method not in ("GET", "HEAD"):
            self.changed()
        return self._shaped(request, call, result, allow)

    def _shaped(
        self, request: Request, call: Call, result: Resource | Collection | Reply | Response, allow: dict[str, str]
    ) -> Response:
        headers = {
            "OData-Version": "4.0",
            "Cache-Control": "no-cache",
            **(allow if request.method in ("GET", "HEAD") else {}),
        }
        if isinstance(result, Response):
            return result
        if isinstance(result, Reply):
            return (
                JSONResponse(result.body, result.status, {**headers, **result.headers})
                if result.body is not None
                else Response(status_code=result.status, headers={**headers, **result.headers})
            )
        if isinstance(result, Collection):
            try:
                page = self._page(request, call, result)
                return JSONResponse(page, headers={**headers, "Link": schema_link(page["@odata.type"])})
            except ValueError as wrong:
                return error(400, "QueryParameterValueFormatError", str(wrong))
        tag = etag_of(result)
        if request.headers.get("if-none-match") == tag:
            return Response(status_code=304, headers={"ETag": tag})
        headers["Link"] = schema_link(str(result["@odata.type"]))
        return JSONResponse({**result, "@odata.etag": tag}, headers={**headers, "ETag": tag})

    def _page(self, request: Request, call: Call, collection: Collection) -> Resource:
        query = request.query_params
        members = [m for m in collection.members if _matches(m, query.get("$filter", ""))]
        skip, top = _count(query.get("$skip"), 0), min(_count(query.get("$top"), PAGE_SIZE), PAGE_SIZE)
        shown = members[skip : skip + top]
        whole = "$expand" in query
        body: Resource = {
            "@odata.id": call.path,
            "@odata.type": f"#{collection.type}.{collection.type}",
            "Name": collection.name,
            "Members@odata.count": len(members),
            "Members": [{**m, "@odata.etag": etag_of(m)} if whole else {"@odata.id": m["@odata.id"]} for m in shown],
        }
        if skip + top < len(members):
            kept = "&".join(f"{key}={value}" for key, value in query.items() if key not in ("$skip",))
            body["Members@odata.nextLink"] = f"{call.path}?{kept + '&' if kept else ''}$skip={skip + top}"
        return body

    def _stale(self, request: Request, call: Call) -> Response | None:
        """412 when If-Match names another state than there is now."""
        wanted = request.headers.get("if-match")
        if not wanted or wanted == "*":
            return None
        for pattern, method, handler in self.routes:
            found = pattern.match(call.path)
            if found and method == "GET":
                current = handler(Call(found.groupdict(), {}, call.path))
                if isinstance(current, dict) and etag_of(current) != wanted:
                    return error(412, "PreconditionFailed", "The resource is not what it was when it was read.")
        return None

    async def _body(self, request: Request) -> Resource | Response:
        if request.method not in ("POST", "PATCH"):
            return {}
        try:
            found = json.loads(await request.body() or b"{}")
        except ValueError:
            return error(400, "MalformedJSON", "The body is not JSON.")
        return found if isinstance(found, dict) else error(400, "MalformedJSON", "The body is not a JSON object.")

    def _known(self, request: Request) -> bool:
        token = request.headers.get("x-auth-token")
        if token:
            return any(secrets.compare_digest(token, known) for known in self.sessions.values())
        kind, _, coded = request.headers.get("authorization", "").partition(" ")
        if kind.lower() != "basic":
            return False
        try:
            user, _, password = base64.b64decode(coded).decode().partition(":")
        except ValueError:
            return False
        return self._takes(user, password)

    def _takes(self, user: str, password: str) -> bool:
        return secrets.compare_digest(user, self.user) and self.password_is(password)

    def password_is(self, password: str) -> bool:
        """Whether this is the password of the one account."""
        return secrets.compare_digest(password, self.password)

    def _login(self, body: Resource) -> Response:
        user, password = str(body.get("UserName", "")), str(body.get("Password", ""))
        if not self._takes(user, password):
            return error(401, "ResourceAtUriUnauthorized", "The account was refused.")
        identity, token = secrets.token_hex(6), secrets.token_hex(24)
        self.sessions[identity] = token
        while len(self.sessions) > 64:
            self.sessions.pop(next(iter(self.sessions)))
        call = Call({"id": identity}, {}, f"{SESSION_PATH}/{identity}")
        headers = {"X-Auth-Token": token, "Location": call.path, "OData-Version": "4.0"}
        return JSONResponse(self._session(call), 201, headers)

    def _session_list(self, _call: Call) -> Collection:
        members = [self._session(Call({"id": identity}, {}, "")) for identity in self.sessions]
        return Collection("SessionCollection", "Sessions", members)

    def _session(self, call: Call) -> Resource:
        identity = call.parts["id"]
        if identity not in self.sessions:
            raise ActionError(404, "ResourceMissingAtURI", "There is no such session.")
        return resource(
            f"{SESSION_PATH}/{identity}",
            "Session.v1_7_0.Session",
            f"Session {identity}",
            UserName=self.user,
            Password=None,
        )

    def _session_end(self, call: Call) -> Reply:
        if self.sessions.pop(call.parts["id"], None) is None:
            raise ActionError(404, "ResourceMissingAtURI", "There is no such session.")
        return Reply(204)


def resource(path: str, type_name: str, name: str, /, **more: Any) -> Resource:
    """A resource with its standard head; ``Id`` is the last part of its path unless given."""
    return {"@odata.id": path, "@odata.type": f"#{type_name}", "Id": path.rsplit("/", 1)[1], "Name": name, **more}


def schema_link(type_name: str) -> str:
    """The Link header that names the JSON schema of a resource's type."""
    return f"<http://redfish.dmtf.org/schemas/v1/{type_name.split('.')[0].removeprefix('#')}.json>; rel=describedby"


def link(path: str) -> Resource:
    return {"@odata.id": path}


def _count(text: str | None, default: int) -> int:
    if text is None:
        return default
    if not text.isdigit():
        raise ValueError(f"{text} is not a count.")
    return int(text)


def _matches(member: Resource, query: str) -> bool:
    """Whether ``member`` meets a $filter of clauses joined by ``and``."""
    return all(_clause(member, clause) for clause in query.split(" and ")) if query else True


def _clause(member: Resource, clause: str) -> bool:
    found = _CLAUSE.match(clause)
    if not found:
        raise ValueError(f"The filter “{clause.strip()}” is not understood.")
    name, operator, text = found.groups()
    value: Any = member
    for part in name.split("/"):
        value = value.get(part) if isinstance(value, dict) else None
    wanted: Any = text[1:-1] if text.startswith("'") else json.loads(text)
    if operator in ("eq", "ne"):
        return bool((value == wanted) == (operator == "eq"))
    if value is None or isinstance(value, str) != isinstance(wanted, str):
        return False
    return bool({"gt": value > wanted, "ge": value >= wanted, "lt": value < wanted, "le": value <= wanted}[operator])


def walk(members: list[Resource], identity: str) -> Resource:
    """The member with this Id, or 404."""
    found: Iterator[Resource] = (member for member in members if member["Id"] == identity)
    member = next(found, None)
    if member is None:
        raise ActionError(404, "ResourceMissingAtURI", f"There is no {identity} here.")
    return member
