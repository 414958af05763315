"""What lots that give datastores another size have in common: the form, the links of a chain, what is measured."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import ClassVar, Generic, TypeVar

from movelot.capacity.acts.chain import READ, STORES_MAX, How, Known, Link
from movelot.inventory.models import Datastore, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.fields import FieldProblem, read_field
from movelot.lots.kinds import STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot_core.units import count_of, format_size


@dataclass(frozen=True)
class SizeForm(LotForm):
    """Datastores by their primary keys, and how far they go, as it was typed; kinds say in which ways (``how``)."""

    datastores: list[int] = field(default_factory=list)
    amount: str = ""


@dataclass
class SizePlan(LotPlan):
    """Each datastore with what lies beneath it, before and after."""

    links: list[Link]


F = TypeVar("F", bound=SizeForm)
P = TypeVar("P", bound=SizePlan)


class ResizeKind(LotKind[F, P], Generic[F, P]):
    """Gives datastores another size, link by link."""

    # What it does, and what is asked of a form that does not say how far, in words.
    verb: ClassVar[str]
    unsaid: ClassVar[str]

    @abstractmethod
    def how(self, form: F) -> How:
        """In which way the form says how far."""

    @abstractmethod
    def link(self, known: Known, store: Datastore, how: How, value: int) -> Link | str:
        """A datastore before and after, or why it stays as it is, in a sentence."""

    @abstractmethod
    def checks(self, known: Known, links: Sequence[Link]) -> Iterable[Check]:
        """What is to be known before it runs."""

    @abstractmethod
    def add_steps(self, steps: StepPlan, link: Link, known: Known) -> None:
        """The steps of one chain, from below upwards."""

    def drafted(self, form: F, lot: Lot) -> Draft[F, P]:
        rows = Datastore.objects.filter(pk__in=form.datastores[:STORES_MAX])
        stores = list(rows.prefetch_related("extents").order_by("name", "pk"))
        problems: list[FieldProblem] = []
        how = self.how(form)
        value = 0 if how == "rest" else read_field(problems, "amount", form.amount, READ[how])
        title = f"{self.verb} {stores[0].name if len(stores) == 1 else count_of(len(stores), 'datastore')}"
        if not stores or problems or value is None:
            unusable = [Check(f"{each.field} is usable", STOP, f"{each.message} {each.hint}") for each in problems]
            text = self.unsaid if stores else "Choose datastores that are there."
            return Draft(title, checks=unusable or [Check("form is complete", STOP, text)])
        known = Known(stores)
        found = [self.link(known, store, how, value) for store in stores]
        links = [each for each in found if isinstance(each, Link)]
        checks = [Check("its size can be changed", STOP, each) for each in found if isinstance(each, str)]
        checks += self.checks(known, links)
        steps = StepPlan()
        if not any(check.level == STOP for check in checks):
            for link in links:
                self.add_steps(steps, link, known)
        facts = {f"size of {link.name}": format_size(link.store_before) for link in links}
        return Draft(title, steps, self.plan(links), checks, facts)

    def outcome(self, lot: Lot, plan: P) -> list[MeasuredRow]:
        """Each volume and datastore as large as it was to be."""
        keys, serials = [link.datastore for link in plan.links], [link.volume for link in plan.links]
        stores = dict(Datastore.objects.filter(pk__in=keys).values_list("pk", "capacity_bytes"))
        volumes = dict(Volume.objects.filter(serial__in=serials).values_list("serial", "size_bytes"))
        found = []
        for link in plan.links:
            volume = link.volume_before, link.volume_after, volumes.get(link.volume)
            store = link.store_before, link.store_after, stores.get(link.datastore)
            found.append(MeasuredRow("volume", link.name, "size in bytes", *volume, link.pool_name))
            found.append(MeasuredRow("datastore", link.name, "capacity in bytes", *store))
        return found
