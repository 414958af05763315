import type { Share, ShareCourse } from "./queries";

const TIB = 2 ** 40;

/** What one has of all pools together, with what that costs a month. */
export interface Whole {
  name: string;
  disks: number;
  provisioned: number;
  written: number;
  cost: number;
  pools: readonly Share[];
  /** Bytes written at the start of each of the last days that are known. */
  course: readonly number[];
}

/** By name, the most provisioned first; `prices` are of a TiB provisioned and month, by pool. */
export function wholes(
  rows: readonly Share[],
  prices: ReadonlyMap<string, number>,
  courses: readonly ShareCourse[] = [],
): Whole[] {
  const went = new Map(courses.map((each) => [each.name, each.written_bytes]));
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
      course: went.get(name) ?? [],
    }))
    .sort((a, b) => b.provisioned - a.provisioned || a.name.localeCompare(b.name));
}
