import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { FactList } from "../parts/FactList";
import { formatMs, formatShare, formatSize } from "../parts/format";
import { Picture } from "../parts/picture/Picture";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { Labels } from "../parts/Labels";
import { NAMES } from "./names";
import { TraceDrawing } from "./TraceDrawing";
import { WaysTable } from "./WaysTable";

type Trace = Schemas["Trace"];
type Figure = Schemas["Figure"];
type Layer = Schemas["Layer"];

/** A thing with its figures, and the chain from virtual machine to array around it. */
export function TracePage() {
  const { kind = "", id = "" } = useParams();
  const { data, error } = useQuery(
    queryOptions("get", "/api/trace/{kind}/{id}/", { params: { path: { kind, id: Number(id) || 0 } } }),
  );
  return (
    <Page
      title={data?.name ?? "Trace"}
      error={error}
      loading={!data}
      note={data && <Typography color="textSecondary">{data.kind.replace("_", " ")}</Typography>}
      actions={data && <Acts trace={data} />}
    >
      {data && (
        <>
          <Labels kind={kind} id={Number(id)} />
          <Figures trace={data} />
          <Picture title="Trace, from machine to array" twin={<Listed trace={data} />}>
            <TraceDrawing trace={data} />
          </Picture>
          <WaysTable ways={data.ways} />
        </>
      )}
    </Page>
  );
}

/** All of the trace as lists, the drawing's equal. */
function Listed({ trace }: { trace: Trace }) {
  return (
    <Box
      sx={{ display: "flex", alignItems: "stretch", gap: 0, overflowX: "auto", p: 1.5 }}
      tabIndex={0}
      role="region"
      aria-label="Trace"
    >
      {trace.layers.map((layer, n) => (
        <LayerColumn key={layer.kind} layer={layer} here={layer.kind === trace.kind} first={n === 0} />
      ))}
    </Box>
  );
}

const first = (trace: Trace, kind: string) => trace.layers.find((layer) => layer.kind === kind)?.links[0];

/** What can be done from here: ask what its loss would do, or take it away. */
function Acts({ trace }: { trace: Trace }) {
  const { data: session } = useSession();
  const draft = useDraft();
  const component = componentOf(trace);
  // What lives in a volume set goes with its machine.
  const volume = trace.volume?.kind === "member" ? null : trace.volume;
  return (
    <>
      <ProblemAlert error={draft.error} />
      {component && (
        <Button
          component={Link}
          variant="outlined"
          to={`/attach/loss?${new URLSearchParams(component).toString()}`}
        >
          What if it is taken away
        </Button>
      )}
      {volume?.kind === "block" && !first(trace, "datastore") && session?.may_change && (
        <Button
          variant="outlined"
          disabled={draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "use_volume", form: { volume: volume.id } });
          }}
        >
          Make a datastore of it
        </Button>
      )}
      {trace.kind === "datastore" && session?.may_change && (
        <Button
          variant="outlined"
          disabled={draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "default_store", form: { datastore: trace.id } });
          }}
        >
          Make it the default
        </Button>
      )}
      {volume && session?.may_change && (
        <Button
          variant="outlined"
          disabled={draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "spread", form: { volume: volume.id } });
          }}
        >
          Let all hosts see it
        </Button>
      )}
      {volume && session?.may_change && (
        <Button
          variant="outlined"
          disabled={draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "detach", form: { volume: volume.id, keep: true } });
          }}
        >
          Take away
        </Button>
      )}
    </>
  );
}

/** The thing as a component that can be lost: pools and volumes carry their array's name before their own. */
function componentOf(trace: Trace): { kind: string; name: string } | null {
  if (trace.kind === "array" || trace.kind === "host") return { kind: trace.kind, name: trace.name };
  const array = first(trace, "array")?.name;
  if (!array) return null;
  if (trace.kind === "pool") return { kind: "pool", name: `${array} ${trace.name}` };
  return trace.volume ? { kind: "volume", name: `${array} ${trace.volume.name}` } : null;
}

function Figures({ trace }: { trace: Trace }) {
  const { size, unit } = useUnit();
  const text = (figure: Figure): string => {
    if (figure.value === null) return figure.text;
    // Arrays and hosts count differently: both are said.
    if (figure.unit === "bytes")
      return `${size(figure.value)} (${formatSize(figure.value, unit === "TiB" ? "TB" : "TiB")})`;
    if (figure.unit === "share") return formatShare(figure.value);
    return figure.unit === "ms" ? formatMs(figure.value) : String(figure.value);
  };
  return <FactList facts={trace.figures.map((figure) => [figure.label, text(figure)] as const)} />;
}

function LayerColumn({ layer, here, first }: { layer: Layer; here: boolean; first: boolean }) {
  const { size } = useUnit();
  return (
    <Box sx={{ display: "flex", alignItems: "center", flex: "1 1 116px", minWidth: 116, maxWidth: 230 }}>
      {!first && <Box aria-hidden sx={{ width: 10, borderTop: "1.5px solid var(--mute)", flex: "none" }} />}
      <Box
        component="section"
        aria-label={NAMES[layer.kind] ?? layer.kind}
        sx={{
          flex: 1,
          alignSelf: "stretch",
          border: here ? "2px solid var(--ink)" : "1px solid var(--line)",
          borderRadius: "6px",
          background: "var(--card)",
          minWidth: 0,
        }}
      >
        <Box sx={{ p: "7px 10px", borderBottom: "1px solid var(--line)", fontWeight: 650 }}>
          {NAMES[layer.kind] ?? layer.kind}{" "}
          <span className="mono" style={{ color: "var(--mute)", fontWeight: 400, fontSize: 12 }}>
            {layer.links.length + layer.more}
          </span>
        </Box>
        <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", maxHeight: 430, overflow: "auto" }}>
          {layer.links.map((entry) => (
            <Box component="li" key={entry.id} sx={{ p: "5px 10px", overflowWrap: "anywhere" }}>
              <Link to={`/trace/${entry.kind}/${String(entry.id)}`}>{entry.name}</Link>
              <div className="mono" style={{ color: "var(--mute)", fontSize: 11.5 }}>
                {[entry.size_bytes === null ? "" : size(entry.size_bytes), entry.note]
                  .filter(Boolean)
                  .join(" · ")}
              </div>
            </Box>
          ))}
          {layer.more > 0 && (
            <li style={{ padding: "5px 10px", color: "var(--mute)" }}>and {layer.more} more</li>
          )}
        </Box>
      </Box>
    </Box>
  );
}
