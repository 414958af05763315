import { Link } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { Moment } from "../parts/Moment";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { PAGE, useServerRows } from "../parts/table/useServerRows";
import { useTableUrl } from "../parts/table/useTableUrl";
import { Page } from "../shell/Page";
import { isActive } from "./queries";
import { StateChip } from "./StateChip";

type Lot = Schemas["LotSummary"];

const COLUMNS: readonly Column<Lot>[] = [
  {
    key: "id",
    head: "Lot",
    value: (lot) => lot.id,
    cell: (lot) => <Link to={`/lots/${String(lot.id)}`}>Lot {lot.id}</Link>,
    width: 90,
    sticky: true,
  },
  { key: "title", head: "What", value: (lot) => lot.title, sortable: false },
  {
    key: "state",
    head: "State",
    value: (lot) => lot.state,
    cell: (lot) => <StateChip state={lot.state} />,
    sortable: false,
    width: 110,
  },
  {
    key: "steps",
    head: "Steps done",
    value: (lot) => `${String(lot.steps_done)} of ${String(lot.steps)}`,
    sortable: false,
    width: 120,
  },
  { key: "created_by", head: "By", value: (lot) => lot.created_by, sortable: false, width: 140 },
  {
    key: "started_at",
    head: "Started",
    value: (lot) => lot.started_at,
    cell: (lot) => <Moment at={lot.started_at} />,
    width: 130,
  },
  {
    key: "ended_at",
    head: "Ended",
    value: (lot) => lot.ended_at,
    cell: (lot) => <Moment at={lot.ended_at} />,
    width: 130,
  },
];
const NEWEST = { key: "id", descending: true };
const FOLLOWED_MS = 3000;
const keyOf = (lot: Lot) => String(lot.id);

/** All lots, newest first. */
export function LotsPage() {
  const url = useTableUrl([], NEWEST);
  const { key, descending } = url.sorting ?? NEWEST;
  const ordering = `${descending ? "-" : ""}${key}`;
  const lots = useServerRows<Lot>(
    (page) => ({
      ...queryOptions("get", "/api/lots/", { params: { query: { page, page_size: PAGE, ordering } } }),
      // One that runs moves by itself.
      again: (rows) => (rows.some(({ state }) => isActive(state)) ? FOLLOWED_MS : false),
    }),
    url.at,
  );
  return (
    <Page title="Lots">
      <DataTable
        name="Lots"
        columns={COLUMNS}
        server={lots}
        url={url}
        rowKey={keyOf}
        empty={
          <>
            No lot yet. Draft one from a finding under <Link to="/">Rounds</Link>, or under{" "}
            <Link to="/attach">Attach</Link>.
          </>
        }
      />
    </Page>
  );
}
