"""The API of drafts that are computed while they are typed: one view for each kind of lot that has a page.

A stage says ``draft_view(AttachKind)`` in its routes. Form and plan in the schema are those that the kind declares.
"""

from __future__ import annotations

from dataclasses import make_dataclass
from functools import cache
from typing import Any, ClassVar

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.lots.answers import LotDetail, document_of
from movelot.lots.documents import dumped
from movelot.lots.drafting import set_form
from movelot.lots.kinds import AnyLotKind
from movelot.lots.models import Lot
from movelot.preconditions import IF_MATCH, etag, seen_by


class WholeForm(DataclassSerializer[Any]):
    """A form with all of its fields, as it is answered and as it is put."""

    def get_fields(self) -> dict[str, serializers.Field[Any, Any, Any, Any]]:
        found: dict[str, serializers.Field[Any, Any, Any, Any]] = super().get_fields()
        for each in found.values():
            each.required, each.default = True, serializers.empty
            if isinstance(each, serializers.CharField):
                each.allow_blank = True
        return found


def draft_document(lot: Lot, kind: AnyLotKind) -> dict[str, Any]:
    """A draft as the API answers it: the lot, the form as typed, and what it comes to, if it comes to anything."""
    return {"lot": document_of(lot), "form": dumped(kind.form_of(lot)), "plan": lot.plan or None}


class DraftView(APIView):
    """One draft; putting its form computes it anew."""

    kind: ClassVar[AnyLotKind]

    def _lot(self, pk: int) -> Lot:
        return get_object_or_404(Lot, pk=pk, kind=self.kind.name)

    def _answer(self, lot: Lot) -> Response:
        return Response(draft_document(lot, self.kind), headers=etag(lot.version))

    def get(self, request: Request, pk: int) -> Response:
        return self._answer(self._lot(pk))

    def put(self, request: Request, pk: int) -> Response:
        lot = set_form(self._lot(pk), request.data, person(request), seen_by(request))
        return self._answer(lot)


@cache
def draft_serializers(kind: type[AnyLotKind]) -> tuple[type[WholeForm], type[serializers.Serializer[Any]]]:
    """What is put and what is answered, named in the schema after the kind's form."""
    noun = kind.form.__name__.removesuffix("Form")
    plan = kind.plan if kind.always_plans else kind.plan | None
    answer = make_dataclass(f"{noun}Draft", [("lot", LotDetail), ("form", kind.form), ("plan", plan)])
    answer.__doc__ = f"A draft: the lot, its form as typed, and what that comes to. {kind.__doc__}"
    form_meta = type("Meta", (), {"dataclass": kind.form})
    form = type(f"{noun}FormSerializer", (WholeForm,), {"Meta": form_meta, "__doc__": kind.form.__doc__})
    meta = type("Meta", (), {"dataclass": answer})
    return form, type(f"{noun}DraftSerializer", (DataclassSerializer,), {"Meta": meta, "form": form()})


def draft_view(kind: AnyLotKind) -> Any:
    """The view of drafts of a kind."""
    form, answer = draft_serializers(type(kind))
    noun = kind.form.__name__.removesuffix("Form")
    view = type(f"{noun}DraftView", (DraftView,), {"kind": kind, "__doc__": DraftView.__doc__})
    view = extend_schema(methods=["GET"], responses=answer)(view)
    view = extend_schema(methods=["PUT"], parameters=[IF_MATCH], request=form, responses=answer)(view)
    return view.as_view()  # type: ignore[attr-defined]  # made of DraftView
