"""Lots that settle masking: let every host of a cluster see a volume, and forget an initiator that is nobody's."""

from __future__ import annotations

from typing import Any

from movelot.attach.admission import admit, names_of
from movelot.attach.file_masking import spread_file
from movelot.attach.joining import connect_steps
from movelot.attach.raw import raw_disks
from movelot.attach.steps import PATH_POLICY, find_step, lun_for, number_word, numbered
from movelot.inventory.clusters import cluster_named
from movelot.inventory.luns import numbers_apart
from movelot.inventory.models import Datastore, Device, HostDevice, Initiator, Mount, Offer, Volume
from movelot.inventory.paths import expected_table, initiators_of
from movelot.inventory.sentences import cause_text
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.sight import numbered_apart


def volume_named(value: Any) -> Volume | None:
    """The volume a form names by its primary key, with its array."""
    text = str(value or "")
    return Volume.objects.filter(pk=int(text)).select_related("device", "pool").first() if text.isdecimal() else None


class SpreadKind(DraftKind):
    """Form: volume, cluster (for one that is offered to nobody). Hosts that miss it are let in, scan, and mount it.

    What is on the volume is mounted as it is found, never formatted: a volume without a datastore is only seen.
    """

    name = "spread"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        volume = volume_named(form.get("volume"))
        if volume is None:
            return Draft("Let all hosts see a volume", checks=[Check("volume is known", STOP, "It is on no array.")])
        if volume.kind == Volume.Kind.FILE:
            return spread_file(volume, str(form.get("cluster", "")))
        if volume.kind == Volume.Kind.MEMBER:
            return Draft("Let all hosts see a volume", checks=[goes_with_machine(volume)])
        hosts = hosts_for(volume, str(form.get("cluster", "")))
        sees = _seeing(volume)
        blind = [host for host in hosts if host.pk not in sees]
        title = f"Let all hosts see {volume.name}"
        if not blind:
            return Draft(title, checks=[Check("something to do", STOP, f"Every host sees {volume.name} already.")])
        offer = offer_for(volume, blind)
        first = admission_steps(volume, hosts)
        find = _set_steps if volume.kind == Volume.Kind.SET else _host_steps
        steps = [*first, *find(volume, blind, len(first))]
        let_in = sorted(_let_in_already(volume))
        facts = {f"initiators let in to {volume.name}": ", ".join(let_in) or "none"}
        names = [host.name for host in hosts]
        plan = {"volume": volume.name, "serial": volume.serial, "hosts": names, "seen": len(sees)}
        checks = [*(_lun_checks(volume, offer, blind) if offer else []), *_reach_checks(volume, blind)]
        checks += number_checks(volume)
        return Draft(title, steps, plan, checks, facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Hosts that see it, before and after; of a file system or set those that mount it."""
        serial = lot.plan["serial"]
        mounts = Mount.objects.filter(datastore__serial=serial)
        row = {
            "subject_kind": "volume",
            "subject": lot.plan["volume"],
            "figure": "hosts that see it",
            "before": lot.plan["seen"],
            "predicted": len(lot.plan["hosts"]),
            "measured": HostDevice.objects.filter(serial=serial).count() or mounts.count(),
            "note": "",
        }
        return {"rows": [row]}


def goes_with_machine(volume: Volume) -> Check:
    """Why a volume in a set is not attached or taken away by itself."""
    return Check("volume stands alone", STOP, f"{volume.name} lives in a volume set and goes with its machine.")


def _seeing(volume: Volume) -> set[int]:
    """Primary keys of the hosts that see a volume as a device, or mount the set."""
    if volume.kind == Volume.Kind.SET:
        return set(Mount.objects.filter(datastore__serial=volume.serial).values_list("host_id", flat=True))
    return set(HostDevice.objects.filter(serial=volume.serial).values_list("device_id", flat=True))


def _let_in_already(volume: Volume) -> set[str]:
    """The initiators that see it: an array may offer it to each host apart."""
    return {name for offer in volume.offers.all() for name in offer.initiators}


def hosts_for(volume: Volume, cluster: str) -> list[Device]:
    """Hosts of the clusters that have any host let in; for a volume offered to nobody those of ``cluster``."""
    hosts = list(Device.objects.filter(kind=Device.Kind.HOST).order_by("name"))
    admitted = _let_in_already(volume)
    if admitted:
        clusters = {host.cluster_id for host in hosts if initiators_of(host) & admitted} - {None}
        return [host for host in hosts if host.cluster_id in clusters]
    chosen = cluster_named(cluster)
    return [host for host in hosts if chosen and host.cluster_id == chosen.pk]


def offer_for(volume: Volume, hosts: list[Device]) -> Offer | None:
    """The offer to let ``hosts`` in to: the one that most initiators of their clusters are in; None where none is."""
    clusters = {host.cluster_id for host in hosts}
    fellows = Device.objects.filter(kind=Device.Kind.HOST, cluster__in=clusters)
    names = {name for host in fellows for name in initiators_of(host)}
    return max(volume.offers.order_by("pk"), key=lambda offer: len(names & set(offer.initiators)), default=None)


def admission_steps(volume: Volume, hosts: list[Device]) -> list[StepSpec]:
    """The steps after which the array lets all of the hosts in; none where it does already."""
    admitted, names = _let_in_already(volume), names_of(volume.device, hosts)
    missing = [host for host in hosts if not set(names[host.pk]) <= admitted]
    offer = offer_for(volume, missing)
    if offer is None:
        return _offer(volume, hosts)
    return _let_in(volume, offer, missing) if missing else []


def _offer(volume: Volume, hosts: list[Device]) -> list[StepSpec]:
    """The steps that offer a volume which nobody is let in to yet."""
    admission = admit(volume.device, hosts, 0)
    lun = lun_for(volume.device)
    offer = StepSpec(
        "offer_volume",
        volume.device.name,
        f"Let {len(admission.uris)} hosts see {volume.name}",
        numbered(lun),
        {"volume_uri": volume.uri, "initiator_uris": admission.uris, "lun": lun},
        tuple(range(len(admission.steps))),
    )
    return [*admission.steps, offer]


def _let_in(volume: Volume, offer: Offer, missing: list[Device]) -> list[StepSpec]:
    """The step that lets those of the hosts' initiators in to ``offer`` that no offer lets in yet."""
    uris = dict(Initiator.objects.filter(device=volume.device).values_list("identifier", "uri"))
    before = sorted(uris[name] for name in offer.initiators if name in uris)
    admission = admit(volume.device, missing, 0)
    there = {uris[name] for name in _let_in_already(volume) if name in uris}
    added = [uri for uri in admission.uris if uri not in there]
    let_in = StepSpec(
        "let_in",
        volume.device.name,
        f"Let {', '.join(host.name for host in missing)} see {volume.name}",
        f"{number_word(volume.device)} {offer.lun}, as on the other hosts",
        {"uri": offer.uri, "volume": volume.name, "wanted": [*before, *added], "before": before},
        tuple(range(len(admission.steps))),
    )
    return [*admission.steps, let_in]


def _set_steps(volume: Volume, blind: list[Device], begun: int) -> list[StepSpec]:
    """Connect each blind host to the access points after the first ``begun`` steps, and mount the set there."""
    store = Datastore.objects.filter(serial=volume.serial).first()
    params = {"serial": volume.serial, "name": store.name if store else volume.name}
    table = expected_table(blind, volume.device, volume.name)
    steps = connect_steps(volume.device, blind, table, tuple(range(begun)))
    ready = tuple(range(begun + len(steps)))
    return steps + [
        StepSpec("mount_set", host.name, f"Mount {params['name']} on {host.name}", "verify its ways", params, ready)
        for host in blind
    ]


def _host_steps(volume: Volume, blind: list[Device], begun: int) -> list[StepSpec]:
    """Find it on each blind host after the first ``begun`` steps, mount what the others mount, set the path policy."""
    store = Datastore.objects.filter(serial=volume.serial).first()
    is_raw = bool(raw_disks(volume))
    table = expected_table(blind, volume.device, volume.name, volume.target)
    steps: list[StepSpec] = connect_steps(volume.device, blind, table, tuple(range(begun)))
    ready = tuple(range(begun + len(steps)))
    for host in blind:
        first = begun + len(steps)
        steps.append(find_step(volume.device, host, [volume.serial], "by its serial, not by time", ready))
        policy = {"serial": volume.serial, "policy": PATH_POLICY}
        title = f"Set path policy on {host.name}"
        if is_raw:
            # A machine has it as it is: there is nothing to mount.
            steps.append(StepSpec("set_path_policy", host.name, title, "round robin", policy, (first,)))
            continue
        name = store.name if store else volume.name
        mount = {"serial": volume.serial, "name": name, "as_found": True}
        if store:
            mount["identity"] = store.identity
        steps.append(
            StepSpec(
                "mount",
                host.name,
                f"Mount {name} on {host.name}",
                "as it is found; nothing is formatted",
                mount,
                (first,),
            )
        )
        steps.append(StepSpec("set_path_policy", host.name, title, "round robin", policy, (first + 1,)))
    return steps


def _lun_checks(volume: Volume, offer: Offer, blind: list[Device]) -> list[Check]:
    """The LUN number has to be free for every initiator that is let in anew."""
    if volume.device.has_namespaces:
        # A namespace id is the subsystem's own, the same for every host.
        return []
    others = Offer.objects.filter(device=volume.device, lun=offer.lun).exclude(pk=offer.pk)
    taken = {name for other in others for name in other.initiators}
    clash = [host.name for host in blind if initiators_of(host) & taken]
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


def _reach_checks(volume: Volume, blind: list[Device]) -> list[Check]:
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


class InitiatorKind(DraftKind):
    """Form: initiator. Withdraws everything from it and makes the array forget it."""

    name = "initiator"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        name = str(form.get("initiator", ""))
        rows = list(Initiator.objects.filter(identifier=name).select_related("device").order_by("device__name"))
        if not rows:
            return Draft("Remove an initiator", checks=[Check("initiator is known", STOP, f"No array knows “{name}”.")])
        steps: list[StepSpec] = []
        for row in rows:
            steps += _forget(row, len(steps))
        hosts = Device.objects.filter(kind=Device.Kind.HOST)
        owner = next((host for host in hosts if name in initiators_of(host)), None)
        if owner:
            check = Check("belongs to nobody", STOP, f"It is the initiator of {owner.name}, which is linked.")
        else:
            check = Check("belongs to nobody", PASS, "no linked host has this initiator")
        facts = {"let in to": ", ".join(step.params["volume"] for step in steps if step.kind == "let_in")}
        return Draft(f"Remove initiator {row.name}", steps, {"initiator": name}, [check], facts)


def _forget(row: Initiator, first: int) -> list[StepSpec]:
    """Take the initiator out of each connection of its array, then forget it; the first step is at ``first``."""
    uris = dict(Initiator.objects.filter(device=row.device).values_list("identifier", "uri"))
    steps = []
    for offer in Offer.objects.filter(device=row.device).select_related("volume").order_by("pk"):
        if row.identifier not in offer.initiators:
            continue
        others = [uris[name] for name in offer.initiators if name != row.identifier and name in uris]
        steps.append(
            StepSpec(
                "let_in",
                row.device.name,
                f"Let {row.name} no longer see {offer.volume.name}",
                f"{len(others)} initiators keep it",
                {
                    "uri": offer.uri,
                    "volume": offer.volume.name,
                    "wanted": others,
                    "before": sorted([*others, row.uri]),
                },
            )
        )
    needs = tuple(range(first, first + len(steps)))
    params = {"uri": row.uri, "identifier": row.identifier}
    forget = StepSpec("drop_initiator", row.device.name, f"Forget {row.name}", row.identifier, params, needs)
    return [*steps, forget]
