import type { Share } from "./queries";

const TIB = 2 ** 40;

/** What one has of all pools together, with what that costs a month. */
export interface Whole {
  name: string;
  disks: number;
  provisioned: number;
  written: number;
  cost: number;
  pools: readonly Share[];
}

/** By name, the most provisioned first; `prices` are of a TiB provisioned and month, by pool. */
export function wholes(rows: readonly Share[], prices: ReadonlyMap<string, number>): Whole[] {
  const found = new Map<string, Share[]>();
  for (const row of rows) found.set(row.name, [...(found.get(row.name) ?? []), row]);
  const sum = (shares: readonly Share[], of: (share: Share) => number) =>
    shares.reduce((total, share) => total + of(share), 0);
  return [...found]
    .map(([name, pools]) => ({
      name,
      disks: sum(pools, (share) => share.disks),
      provisioned: sum(pools, (share) => share.provisioned_bytes),
      written: sum(pools, (share) => share.written_bytes),
      cost: sum(pools, (share) => (share.provisioned_bytes / TIB) * (prices.get(share.pool) ?? 0)),
      pools,
    }))
    .sort((a, b) => b.provisioned - a.provisioned || a.name.localeCompare(b.name));
}
