import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import type { Depot } from "./queries";

/** From where images may come; administrators allow it. */
export function Depots({ depots, fixed }: { depots: readonly Depot[]; fixed: boolean }) {
  return (
    <Box component="section" aria-label="Depots" sx={{ ...CARD, mt: 1.5 }}>
      <CardHead title="Depots">
        <span style={{ color: "var(--mute)", flex: 1 }}>images come from these addresses and no others</span>
      </CardHead>
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 1.5, display: "grid", gap: 1 }}>
        {depots.map((depot) => (
          <Box
            component="li"
            key={depot.id}
            sx={{ display: "flex", gap: 2, flexWrap: "wrap", alignItems: "center" }}
          >
            <span className="mono">{depot.url}</span>
            <span style={{ color: "var(--mute)" }}>
              {depot.own_certificate ? "by its own certificate" : "by known authorities"}, allowed by{" "}
              {depot.added_by}
            </span>
            {!fixed && (
              <AskedButton
                label="Allow no longer"
                subject={depot.url}
                act="Allow it no longer"
                change={() =>
                  unwrap(api.DELETE("/api/images/depots/{id}/", { params: { path: { id: depot.id } } }))
                }
              >
                Images that came from there stay.
              </AskedButton>
            )}
          </Box>
        ))}
        {depots.length === 0 && (
          <li>
            {fixed ? "None yet: an administrator allows them here." : "None yet: allow the first one below."}
          </li>
        )}
        {!fixed && <NewDepot />}
      </Box>
    </Box>
  );
}

function NewDepot() {
  const [url, setUrl] = useState("");
  const [pem, setPem] = useState("");
  const add = useChange(
    () => unwrap(api.POST("/api/images/depots/", { body: { url, certificate_pem: pem } })),
    () => {
      setUrl("");
      setPem("");
    },
  );
  return (
    <Box
      component="form"
      aria-label="Allow a depot"
      sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", md: "1fr 1fr auto" }, pt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <TextField
        size="small"
        label="Address of the depot"
        placeholder="https://images.example/"
        value={url}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(event) => {
          setUrl(event.target.value);
        }}
      />
      <TextField
        size="small"
        multiline
        maxRows={4}
        label="Its certificate"
        placeholder="PEM, where no known authority vouches for it"
        value={pem}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(event) => {
          setPem(event.target.value);
        }}
      />
      <Button
        type="submit"
        variant="outlined"
        sx={{ alignSelf: "start" }}
        disabled={add.isPending || !url.trim()}
      >
        Allow it
      </Button>
      <ProblemAlert error={add.error} />
    </Box>
  );
}
