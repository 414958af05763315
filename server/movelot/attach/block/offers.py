"""Whom an array lets in to a volume: its offers, the hosts they are for, what to check before another is let in."""

from __future__ import annotations

from typing import Any

from movelot.attach.block.admission import admit, names_of
from movelot.attach.block.steps import lun_for, number_word, numbered
from movelot.inventory.clusters import cluster_named, hosts_of
from movelot.inventory.luns import numbers_apart
from movelot.inventory.models import AdmittedInitiator, Device, HostInitiator, Initiator, Offer, Volume
from movelot.inventory.paths import expected_table, initiators_by_host
from movelot.inventory.sentences import cause_text
from movelot.lots.kinds import PASS, STOP, WARN, Check
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.masking import LetIn
from movelot.lots.steps.volumes import OfferVolume, WithdrawVolume
from movelot_core.masking import numbered_apart
from movelot_core.units import count_of


def let_in_already(volume: Volume) -> set[str]:
    """The initiators that see it: an array may offer it to each host apart."""
    let_in = AdmittedInitiator.objects.filter(initiator_set__offers__volume=volume)
    return set(let_in.values_list("identifier", flat=True))


def hosts_for(volume: Volume, cluster: str) -> list[Device]:
    """Hosts of the clusters that have any host let in; for a volume offered to nobody those of ``cluster``."""
    hosts = Device.objects.filter(kind=Device.Kind.HOST).order_by("name")
    admitted = let_in_already(volume)
    if admitted:
        let_in = Device.objects.filter(host_initiators__identifier__in=admitted, cluster__isnull=False)
        return list(hosts.filter(cluster__in=let_in.values("cluster")))
    chosen = cluster_named(cluster)
    return hosts_of(chosen)


def offer_for(volume: Volume, hosts: list[Device]) -> Offer | None:
    """The offer to let ``hosts`` in to: the one that most initiators of their clusters are in; None where none is."""
    theirs = HostInitiator.objects.filter(host__cluster__in={host.cluster_id for host in hosts})
    names = set(theirs.values_list("identifier", flat=True))
    offers = volume.offers.order_by("pk").prefetch_related("initiator_set__admitted")
    return max(offers, key=lambda offer: len(names & set(offer.initiators)), default=None)


def add_admission(plan: StepPlan, volume: Volume, hosts: list[Device]) -> list[AnyHandle]:
    """Add the steps after which the array lets all of the hosts in, and say after which that is; none if it does."""
    admitted, known_as = let_in_already(volume), names_of(volume.device, hosts)
    missing = [host for host in hosts if not set(known_as[host.pk]) <= admitted]
    offer = offer_for(volume, missing)
    if offer is None:
        return _add_offer(plan, volume, hosts)
    return _add_let_in(plan, volume, offer, missing) if missing else []


def _add_offer(plan: StepPlan, volume: Volume, hosts: list[Device]) -> list[AnyHandle]:
    """Offer a volume which nobody is let in to yet."""
    admission, lun = admit(plan, volume.device, hosts), lun_for(volume.device)
    offer = OfferVolume(volume_uri=volume.uri, initiator_uris=admission.uris, lun=lun)
    title = f"Let {count_of(len(admission.uris), 'host')} see {volume.name}"
    return [plan.add(offer.on(volume.device.name, title, numbered(lun)), admission.steps)]


def _add_let_in(plan: StepPlan, volume: Volume, offer: Offer, missing: list[Device]) -> list[AnyHandle]:
    """Let those of the hosts' initiators in to ``offer`` that no offer lets in yet."""
    uris = dict(Initiator.objects.filter(device=volume.device).values_list("identifier", "uri"))
    before = sorted(uris[name] for name in offer.initiators if name in uris)
    admission = admit(plan, volume.device, missing)
    there = {uris[name] for name in let_in_already(volume) if name in uris}
    added = [uri for uri in admission.uris if uri not in there]
    let_in = LetIn(uri=offer.uri, volume=volume.name, wanted=[*before, *added], before=before).on(
        volume.device.name,
        f"Let {', '.join(host.name for host in missing)} see {volume.name}",
        f"{number_word(volume.device)} {offer.lun}, as on the other hosts",
    )
    return [plan.add(let_in, admission.steps)]


def lun_checks(volume: Volume, offer: Offer, blind: list[Device]) -> list[Check]:
    """The LUN number has to be free for every initiator that is let in anew."""
    if volume.device.has_namespaces:
        # A namespace id is the subsystem's own, the same for every host.
        return []
    others = Offer.objects.filter(device=volume.device, lun=offer.lun).exclude(pk=offer.pk)
    let_in = AdmittedInitiator.objects.filter(initiator_set__offers__in=others)
    taken, names = set(let_in.values_list("identifier", flat=True)), initiators_by_host(blind)
    clash = [host.name for host in blind if names[host.pk] & taken]
    if clash:
        text = f"LUN number {offer.lun} is another volume's on {', '.join(clash)}."
        return [Check("LUN number is free", STOP, text)]
    return [Check("LUN number is free", PASS, f"LUN number {offer.lun} is free on {', '.join(h.name for h in blind)}")]


def number_checks(volume: Volume) -> list[Check]:
    """Hosts of a cluster that have it under different LUN numbers are warned of."""
    apart = [found for each in numbers_apart(volume) if (found := numbered_apart(each.numbers))]
    said = ["; ".join(f"{lun} on {', '.join(hosts)}" for lun, hosts in found.numbers) for found in apart]
    texts = [f"{volume.name} is LUN {text}." for text in said]
    meaning = "Tell it by its serial, not by its number."
    return [Check("LUN numbers agree", WARN, f"{text} {meaning}") for text in texts]


def reach_checks(volume: Volume, blind: list[Device]) -> list[Check]:
    """Each host needs a path once it is let in; fewer than all are said with their reason."""
    table = expected_table(blind, volume.device, volume.name, volume.target)
    checks = []
    for host in blind:
        paths = [path for path in table.paths if path.host == host.name]
        seen = sum(path.seen for path in paths)
        why = sorted({cause_text(path.cause, path.port) for path in paths if path.missing and path.cause})
        if not seen:
            checks.append(Check("every host reaches it", STOP, f"{host.name} would have no path: {'; '.join(why)}."))
        elif seen < len(paths):
            text = f"{host.name} would have {seen} of {len(paths)} paths: {'; '.join(why)}."
            checks.append(Check("every path is there", WARN, text))
    return checks or [Check("every host reaches it", PASS, "every host will have all of its paths")]


def withdraw_step(volume: Volume, offer: Offer) -> StepSpec[Any]:
    nvme = volume.device.has_namespaces
    uris = dict(volume.device.initiators.values_list("identifier", "uri"))
    withdraw = WithdrawVolume(
        uri=offer.uri,
        volume_uri=volume.uri,
        initiator_uris=sorted(uris[name] for name in offer.initiators if name in uris),
        lun=None if nvme else offer.lun,
    )
    title = f"Withdraw {volume.name} from {count_of(len(offer.initiators), 'initiator')}"
    return withdraw.on(volume.device.name, title, "" if nvme else f"LUN number {offer.lun} becomes free")
