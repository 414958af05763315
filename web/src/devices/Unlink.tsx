import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { ProblemAlert } from "../parts/ProblemAlert";

/** Takes a device link away, once it was said what goes with it. */
export function Unlink({ device }: { device: Schemas["DeviceAnswer"] }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const unlink = useMutation({
    mutationFn: () => unwrap(api.DELETE("/api/devices/{id}/", { params: { path: { id: device.id } } })),
    onSuccess: () => void queries.invalidateQueries(),
  });
  if (!asked) {
    return (
      <Button
        size="small"
        aria-label={`Unlink ${device.name}`}
        onClick={() => {
          setAsked(true);
        }}
      >
        Unlink
      </Button>
    );
  }
  return (
    <Box role="group" aria-label={`Unlink ${device.name}`} sx={{ whiteSpace: "normal", maxWidth: 200 }}>
      What only {device.name} told of is forgotten here, with its history. The device stays as it is.
      <Box sx={{ display: "flex", gap: 0.5, mt: 0.5 }}>
        <Button
          size="small"
          variant="outlined"
          disabled={unlink.isPending}
          onClick={() => {
            unlink.mutate();
          }}
        >
          Unlink it
        </Button>
        <Button
          size="small"
          onClick={() => {
            unlink.reset();
            setAsked(false);
          }}
        >
          Keep
        </Button>
      </Box>
      <ProblemAlert error={unlink.error} />
    </Box>
  );
}
