"""The API of images: bringing them in from depots or in parts by upload, and the depots that are allowed."""

from __future__ import annotations

from typing import IO, Any

from cryptography import x509
from django.conf import settings
from django.db import IntegrityError, transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import AdministratorsInPerson, person
from movelot.audit.trail import tell
from movelot.images.answers import (
    DepotAnswer,
    ImageAnswer,
    ImagesAnswer,
    SourceAnswer,
    depot_answer,
    image_answers,
    sources,
)
from movelot.images.jobs import BringIn
from movelot.images.models import Depot, Image
from movelot.images.receiving import ImageRefused, checksum_of, depot_of, incoming, take_part
from movelot.inventory import image_copies
from movelot.inventory.models import StoredImage
from movelot.jobs.locks import held
from movelot.jobs.models import Job
from movelot.jobs.work import cancel, start
from movelot.problems import Problem
from movelot_core.units import format_size

PART_BYTES = 8 * 1024**2
UNCHANGED = "Nothing was stored."
NAMES = r"^[a-z0-9][a-z0-9.-]{0,62}$"


class ImageSerializer(DataclassSerializer[ImageAnswer]):
    class Meta:
        dataclass = ImageAnswer


class ImagesSerializer(DataclassSerializer[ImagesAnswer]):
    class Meta:
        dataclass = ImagesAnswer


class SourceSerializer(DataclassSerializer[SourceAnswer]):
    class Meta:
        dataclass = SourceAnswer


class DepotSerializer(DataclassSerializer[DepotAnswer]):
    class Meta:
        dataclass = DepotAnswer


class NewImageForm(serializers.Serializer[dict[str, Any]]):
    """An image from an address of a depot; without one, a file of ``file_bytes`` that is uploaded in parts."""

    name = serializers.RegexField(NAMES, max_length=63)
    url = serializers.CharField(max_length=500, allow_blank=True, default="")
    file_name = serializers.CharField(max_length=200, allow_blank=True, default="")
    file_bytes = serializers.IntegerField(min_value=0, default=0)
    checksum = serializers.CharField(max_length=200, allow_blank=True, default="")


class NewDepotForm(serializers.Serializer[dict[str, Any]]):
    """A depot's address, and its own certificate (PEM) where no known authority vouches for it."""

    url = serializers.CharField(max_length=255)
    certificate_pem = serializers.CharField(max_length=20_000, allow_blank=True, default="")


class Octets(BaseParser):
    """A part of a file, as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: IO[bytes], media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream.read(PART_BYTES + 1)


def _one(pk: int) -> ImageAnswer:
    return image_answers(Image.objects.filter(pk=pk).prefetch_related("disks"))[0]


class ImageListView(APIView):
    """All images with the depots, and bringing one in."""

    @extend_schema(operation_id="images_list", responses=ImagesSerializer)
    def get(self, request: Request) -> Response:
        images = image_answers(Image.objects.prefetch_related("disks"))
        depots = [depot_answer(depot) for depot in Depot.objects.all()]
        return Response(ImagesSerializer(ImagesAnswer(images, depots, PART_BYTES)).data)

    @extend_schema(request=NewImageForm, responses={201: ImageSerializer})
    def post(self, request: Request) -> Response:
        given = NewImageForm(data=request.data)
        given.is_valid(raise_exception=True)
        values, by = given.validated_data, person(request)
        try:
            checksum = checksum_of(values["checksum"])
        except ImageRefused as refused:
            raise Problem(422, "checksum_unusable", str(refused), UNCHANGED) from refused
        url, uploaded = values["url"].strip(), not values["url"].strip()
        _demand_source(url, values)
        try:
            with transaction.atomic():
                image = Image.objects.create(
                    name=values["name"],
                    source=url or values["file_name"],
                    uploaded=uploaded,
                    checksum=checksum,
                    file_bytes=values["file_bytes"] if uploaded else 0,
                    by=by.username,
                )
        except IntegrityError as error:
            message = f"There is an image {values['name']} already."
            raise Problem(409, "image_there", message, UNCHANGED, "Choose another name.") from error
        tell(request, f"image {image.name}", None, {"source": image.source, "checksum": checksum})
        if not uploaded:
            start(BringIn.name, {"image": image.pk}, by)
        return Response(ImageSerializer(_one(image.pk)).data, status.HTTP_201_CREATED)


def _demand_source(url: str, values: dict[str, Any]) -> None:
    """Problem 422 for an address of no depot, or a file that is too large or none."""
    if url and depot_of(url) is None:
        message = "This address belongs to no depot that is allowed."
        raise Problem(422, "depot_unknown", message, "Nothing was sent there.", "An administrator adds depots below.")
    if not url and not 0 < values["file_bytes"] <= settings.IMAGE_FILE_MOST_BYTES:
        most = format_size(settings.IMAGE_FILE_MOST_BYTES)
        raise Problem(422, "file_size", f"Say an address, or upload a file of at most {most}.", UNCHANGED)


class ImageView(APIView):
    """An image; deleted, it is forgotten with what of it is here. One that a datastore keeps is deleted by a lot."""

    @extend_schema(operation_id="image_one", responses=ImageSerializer)
    def get(self, request: Request, pk: int) -> Response:
        get_object_or_404(Image, pk=pk)
        return Response(ImageSerializer(_one(pk)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        image = get_object_or_404(Image, pk=pk)
        contents = list(image.disks.values_list("content", flat=True))
        kept = StoredImage.objects.filter(key__in=contents).select_related("datastore").first()
        if kept is not None:
            message = f"{kept.datastore.name} keeps it: delete it there first, by a lot."
            raise Problem(409, "image_kept", message, "Nothing was deleted.")
        for job in Job.objects.filter(kind=BringIn.name, params={"image": image.pk}).exclude(ended_at__isnull=False):
            cancel(job)
        tell(request, f"image {image.name}", {"source": image.source, "state": image.state})
        incoming(image).unlink(missing_ok=True)
        for content in contents:
            image_copies.drop(content)
        image.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


class PartView(APIView):
    """The next part of an upload, which begins where the last one ended; the last one begins the checks."""

    parser_classes = [Octets]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("at", int, required=True, description="Where the part begins in the file.")],
        responses=ImageSerializer,
    )
    def put(self, request: Request, pk: int) -> Response:
        image = get_object_or_404(Image, pk=pk, uploaded=True, state=Image.State.RECEIVING)
        sent: Any = request.data
        data, at = bytes(sent), request.query_params.get("at", "")
        with held(f"upload-{image.pk}") as mine:
            image.refresh_from_db()
            if not mine or not at.isdecimal() or int(at) != image.received_bytes:
                message = f"{image.received_bytes} bytes of it are here."
                raise Problem(409, "part_out_of_order", message, "Nothing was stored.", "Go on from there.")
            if not data or len(data) > PART_BYTES or int(at) + len(data) > image.file_bytes:
                message = f"A part has 1 to {PART_BYTES} bytes, and none goes beyond the size that was said."
                raise Problem(413, "part_size", message, "Nothing was stored.")
            received = take_part(image, int(at), data)
            Image.objects.filter(pk=image.pk).update(received_bytes=received)
        if received == image.file_bytes:
            Image.objects.filter(pk=image.pk).update(state=Image.State.RECEIVED)
            start(BringIn.name, {"image": image.pk}, person(request))
        return Response(ImageSerializer(_one(image.pk)).data)


class SourcesView(APIView):
    """The images that new disks can be made from."""

    @extend_schema(responses=SourceSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(SourceSerializer(sources(), many=True).data)


class DepotListView(APIView):
    """Depots, which administrators allow."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(request=NewDepotForm, responses={201: DepotSerializer})
    def post(self, request: Request) -> Response:
        given = NewDepotForm(data=request.data)
        given.is_valid(raise_exception=True)
        url, pem = given.validated_data["url"].strip(), given.validated_data["certificate_pem"].strip()
        url = url if url.endswith("/") else f"{url}/"
        if not url.startswith("https://") or any(letter in url for letter in "@?# "):
            message = "A depot's address begins with https:// and holds no account, query or fragment."
            raise Problem(422, "depot_address", message, UNCHANGED)
        if pem:
            try:
                x509.load_pem_x509_certificate(pem.encode())
            except ValueError as error:
                message = "This is no certificate in PEM, which begins with -----BEGIN CERTIFICATE-----."
                raise Problem(422, "certificate_unusable", message, UNCHANGED) from error
        depot, fresh = Depot.objects.get_or_create(
            url=url, defaults={"certificate_pem": pem, "added_by": person(request).username}
        )
        if not fresh:
            raise Problem(409, "depot_there", f"{url} is allowed already.", UNCHANGED)
        tell(request, f"depot {url}", None, {"own certificate": bool(pem)})
        return Response(DepotSerializer(depot_answer(depot)).data, status.HTTP_201_CREATED)


class DepotView(APIView):
    """A depot: allowed no longer. Images from there stay."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        depot = get_object_or_404(Depot, pk=pk)
        tell(request, f"depot {depot.url}", {"url": depot.url})
        depot.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
