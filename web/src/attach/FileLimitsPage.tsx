import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { CsvButton } from "../parts/CsvButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "../shell/useSession";

type Limits = Schemas["FileLimits"];

/** Timeouts and limits of every host's NFS client beside what arrays recommend; one lot sets what differs. */
export function FileLimitsPage() {
  const { data: session } = useSession();
  const draft = useDraft();
  const found = useQuery({
    queryKey: ["file limits"],
    queryFn: () => unwrap(api.GET("/api/attach/file-limits/")),
    refetchInterval: 20_000,
  });
  const data = found.data;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1.5 }}>
        <Typography variant="h1">NFS timeouts and limits</Typography>
        <Typography color="textSecondary" role="status" sx={{ flex: 1 }}>
          {data &&
            (data.settings.length
              ? `${String(data.differ.length)} of ${String(data.settings.length * data.hosts.length)} differ from what is recommended`
              : "No linked array recommends any.")}
        </Typography>
        {data && data.settings.length > 0 && (
          <>
            <CsvButton
              name="nfs-settings"
              heads={["host", ...data.settings.map((setting) => setting.name)]}
              rows={() =>
                data.hosts.map((row) => [row.host, ...row.values.map((value) => String(value ?? ""))])
              }
            />
            <Button
              variant="contained"
              disabled={!data.differ.length || !session?.may_change || draft.isPending}
              onClick={() => {
                draft.mutate({ kind: "file_limits", form: {} });
              }}
            >
              Draft lot: set them together
            </Button>
          </>
        )}
      </Box>
      <ProblemAlert error={found.error ?? draft.error} />
      {data && data.settings.length > 0 && <Table data={data} />}
    </>
  );
}

function Table({ data }: { data: Limits }) {
  const cell = { padding: "7px 14px", textAlign: "right" } as const;
  return (
    <Box
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        overflow: "auto",
      }}
    >
      <table style={{ borderCollapse: "collapse", fontSize: 13, width: "100%" }}>
        <thead>
          <tr>
            <th style={{ ...cell, textAlign: "left" }}>Host</th>
            {data.settings.map((setting) => (
              <th key={setting.name} style={cell}>
                {setting.label}
                {setting.unit && `, ${setting.unit}`}
              </th>
            ))}
            <th style={cell}>Exports mounted</th>
          </tr>
        </thead>
        <tbody>
          <tr style={{ background: "var(--tideSoft)", borderTop: "1px solid var(--line)" }}>
            <th scope="row" style={{ ...cell, textAlign: "left" }}>
              Recommended
            </th>
            {data.settings.map((setting) => (
              <td key={setting.name} className="mono" style={cell}>
                {setting.wanted}
                <div style={{ color: "var(--mute)", fontSize: 11 }}>by {setting.array}</div>
              </td>
            ))}
            <td />
          </tr>
          {data.hosts.map((row) => (
            <tr key={row.host} style={{ borderTop: "1px solid var(--line)" }}>
              <th scope="row" style={{ ...cell, textAlign: "left" }}>
                {row.host}
              </th>
              {data.settings.map((setting, n) => {
                const value = row.values[n] ?? null;
                const differs = value !== null && value !== setting.wanted;
                return (
                  <td
                    key={setting.name}
                    className="mono"
                    style={{
                      ...cell,
                      ...(differs ? { color: "var(--buoyText)", fontWeight: 600 } : {}),
                    }}
                  >
                    {differs && "▲ "}
                    {value ?? "none"}
                  </td>
                );
              })}
              <td className="mono" style={cell}>
                {row.mounts}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
