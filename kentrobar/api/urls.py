"""The addresses of the API and of the schemas of the open documents."""

from __future__ import annotations

from typing import Any, cast

from django.contrib.auth.decorators import login_not_required
from django.core.exceptions import RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.urls import path
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_safe
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from kentrobar import __version__
from kentrobar.core.errors import DocumentError
from kentrobar.core.io.schemas import STRUCTURES, file_name, schema_of

from .doors import ApiError, ByToken, Documents
from .frames import frames
from .plans import computation, plans

ABOUT = (
    "Frames, readings, plans and predictions of a shop. A token, made under Settings, Programs,"
    " goes with every request. What makes something takes an Idempotency-Key: sent again, it is"
    " made once. The documents are described at /schema/."
)
api = NinjaAPI(
    title="Kentrobar", version=__version__, description=ABOUT, auth=ByToken(), docs_url=None,
    openapi_url=None, parser=Documents(), urls_namespace="api",
)  # fmt: skip
api.add_router("", frames)
api.add_router("", plans)
api.add_router("", computation)


def _problem(request: HttpRequest, status: int, why: str, at: str = "") -> HttpResponse:
    return api.create_response(request, {"at": at, "why": why[:500]}, status=status)


@api.exception_handler(ApiError)
def _refused(request: HttpRequest, error: Any) -> HttpResponse:
    return _problem(request, error.status, error.why, error.at)


@api.exception_handler(DocumentError)
def _fault(request: HttpRequest, error: Any) -> HttpResponse:
    return _problem(request, 422, str(error.reason), error.path)


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: Any) -> HttpResponse:
    first = error.errors[0]
    at = ".".join(str(step) for step in first["loc"] if step not in ("body", "query", "path"))
    return _problem(request, 422, first["msg"], at)


@api.exception_handler(AuthenticationError)
def _unknown(request: HttpRequest, error: Any) -> HttpResponse:
    answer = _problem(request, 401, "no token, or one that was ended")
    answer["WWW-Authenticate"] = "Bearer"
    return answer


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: Any) -> HttpResponse:
    # What cannot be read at all comes with why.
    why = error.__cause__ if isinstance(error.__cause__, DocumentError) else error
    return _problem(request, error.status_code, str(why))


@api.exception_handler(Http404)
def _gone(request: HttpRequest, error: Any) -> HttpResponse:
    return _problem(request, 404, "nothing is there")


@api.exception_handler(RequestDataTooBig)
def _too_big(request: HttpRequest, error: Any) -> HttpResponse:
    return _problem(request, 413, "larger than anything that is sent here")


@login_not_required
@require_safe
@cache_control(public=True, max_age=3600)
def openapi(request: HttpRequest) -> HttpResponse:
    """What there is, as an OpenAPI document."""
    return JsonResponse(described())


def described() -> dict[str, Any]:
    """The OpenAPI document, with the answers every address may give."""
    found: dict[str, Any] = dict(api.get_openapi_schema(path_prefix="/api"))
    problem = {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    every = {"401": "no token", "403": "not with this token", "413": "too large", "400": "unread"}
    for address in found["paths"].values():
        for one in address.values():
            for status, words in every.items():
                one["responses"].setdefault(status, {"description": words, "content": problem})
    return found


@login_not_required
@require_safe
@cache_control(public=True, max_age=3600)
def schema_index(request: HttpRequest) -> HttpResponse:
    """Every open document by its format, and where its schema is."""
    return JsonResponse({form: f"/schema/{file_name(form)}" for form in STRUCTURES})


@login_not_required
@require_safe
@cache_control(public=True, max_age=3600)
def schema(request: HttpRequest, name: str) -> HttpResponse:
    """The JSON Schema of one open document."""
    for form in STRUCTURES:
        if file_name(form) == name:
            return JsonResponse(schema_of(form), content_type="application/schema+json")
    raise Http404("no such document")


_ours = api.urls
for _one in _ours[0]:
    # A token lets in, not a session.
    _one.callback = login_not_required(cast(Any, _one.callback))
urlpatterns = [
    path("schema/", schema_index, name="schema-index"),
    path("schema/<str:name>", schema, name="schema"),
    path("api/openapi.json", openapi, name="api-openapi"),
    path("api/", _ours),
]
