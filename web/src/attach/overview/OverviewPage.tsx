import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { queryOptions } from "../../api/client";
import { useDraft } from "../../lots/useDraft";
import { countOf } from "../../parts/format";
import { Page } from "../../shell/Page";
import { useSession } from "../../shell/useSession";
import { useStatus } from "../../shell/useStatus";
import { Beginnings } from "./Beginnings";
import { Grants } from "./Grants";
import { ReachTable } from "./ReachTable";

/** Attach at a glance: how far every cluster reaches every array, what can be attached, and what is granted of pools. */
export function OverviewPage() {
  const { data: session } = useSession();
  const { data: status } = useStatus();
  const reach = useQuery(queryOptions("get", "/api/network/reach/"));
  const draft = useDraft();
  const mayChange = session?.may_change ?? false;
  const waiting = status?.waiting.attach ?? 0;
  return (
    <Page
      title="Attach"
      stage="attach"
      error={reach.error ?? draft.error}
      loading={!reach.data}
      actions={
        waiting > 0 && (
          <Typography color="textSecondary">
            <Link to="/">{countOf(waiting, "finding")}</Link>
          </Typography>
        )
      }
    >
      {reach.data?.arrays.length === 0 || reach.data?.clusters.length === 0 ? (
        <Typography sx={{ mb: 2 }}>
          Link an array and its hosts first, under <Link to="/devices">Devices</Link>. What every cluster
          reaches then stands here.
        </Typography>
      ) : (
        reach.data && (
          <ReachTable
            reach={reach.data}
            attach={
              mayChange && !draft.isPending
                ? (cluster) => {
                    draft.mutate({ kind: "attach", form: { cluster } });
                  }
                : null
            }
          />
        )
      )}
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "repeat(auto-fit, minmax(min(420px, 100%), 1fr))",
          gap: 1.5,
          alignItems: "start",
        }}
      >
        <Beginnings draft={draft} mayChange={mayChange} />
        <Grants />
      </Box>
    </Page>
  );
}
