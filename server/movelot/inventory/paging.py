"""Pages of lists: never more than 200 rows at once, and those alone are fetched whole."""

from __future__ import annotations

from typing import Any

from django.core.paginator import Page, Paginator
from django.db.models import QuerySet
from rest_framework.pagination import PageNumberPagination


class KeysFirst(Paginator):  # type: ignore[type-arg]  # not generic when it runs
    """Finds which rows are on a page by their keys, then fetches these.

    Sorting 20,000 whole disks with all that is joined to them takes MariaDB 340 ms, sorting their keys 8.
    """

    def page(self, number: int | str) -> Page[Any]:
        rows = self.object_list
        if not isinstance(rows, QuerySet):
            return super().page(number)
        valid = self.validate_number(number)
        first = (valid - 1) * self.per_page
        keys = list(rows.values_list("pk", flat=True)[first : first + self.per_page])
        return Page(list(rows.filter(pk__in=keys)), valid, self)


class Pages(PageNumberPagination):
    page_size = 50
    page_size_query_param = "page_size"
    max_page_size = 200
    django_paginator_class = KeysFirst
