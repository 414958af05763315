"""The many hosts alike of a large site: clusters of the container yard, on volumes of granite over Fibre Channel."""

from __future__ import annotations

from movelot_standins.fibre_channel import FRAME_BYTES, PROTOCOL, wwpn_of
from movelot_standins.model import Host, Interface, World, Zone
from movelot_standins.sites import FABRICS, Disks, add_machines, add_stores

CLUSTERS, HOSTS_EACH, STORES_EACH, MACHINES_EACH = 13, 30, 10, 4
# Numbers of the first volume of the first cluster, and of the machines' networks.
FIRST_STORE, FIRST_NETWORK = 1001, 100


def add_yard(world: World) -> None:
    """Add them to a world that has everything else: 390 hosts."""
    ends = [portal for portal in world.portals if portal.protocol == PROTOCOL]
    for cluster in range(1, CLUSTERS + 1):
        hosts = [_host(cluster, n) for n in range(1, HOSTS_EACH + 1)]
        world.hosts += hosts
        for host in hosts:
            for port, fabric in zip(host.interfaces, FABRICS, strict=True):
                there = [portal for portal in ends if portal.address.endswith(fabric)]
                members = [[f"{host.name}-{port.name}", wwpn_of(port.address)]]
                members += [[f"granite-{end.name.lower()}", wwpn_of(end.address)] for end in there]
                world.zones.append(Zone(fabric, f"{host.name}-{port.name}", members))
        names = [wwpn_of(port.address) for host in hosts for port in host.interfaces]
        world.initiators["granite"] += names
        stores = tuple((f"stack-{cluster:02}-{n:02}", "granite-mixed", 1, "AB"[n % 2]) for n in range(STORES_EACH))
        add_stores(world, stores, FIRST_STORE + (cluster - 1) * STORES_EACH, names, hosts)
        add_machines(
            world, _machines(cluster, stores), [host.name for host in hosts], f"10.41.{FIRST_NETWORK + cluster}"
        )


def _host(cluster: int, number: int) -> Host:
    name = f"yard-{cluster:02}-{number:02}"
    ports = []
    for n, (leg, fabric) in enumerate(zip("ab", FABRICS, strict=True), start=1):
        address = f"21:01:02:4b:42:{cluster:02x}:{number:02x}:0{n}@{fabric}"
        port = Interface(f"fc-{leg}", address, 0, "", [])
        port.protocol, port.mtu = PROTOCOL, FRAME_BYTES
        ports.append(port)
    cabling = {"fc-a": "fc-switch-1", "fc-b": "fc-switch-2"}
    return Host(name, "", ports, cabling=cabling, cluster=f"yard-{cluster:02}")


def _machines(cluster: int, stores: tuple[tuple[str, str, int, str], ...]) -> tuple[tuple[str, str, Disks], ...]:
    count = HOSTS_EACH * MACHINES_EACH
    return tuple(
        (f"stacker-{cluster:02}-{n:03}", "Linux 6.1", ((stores[n % len(stores)][0], 40, "trucks", 4.0, 3.0, 8.0),))
        for n in range(count)
    )
