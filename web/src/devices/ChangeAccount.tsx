import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";

/** Reads a device with another account, or another password, from now on: once the device has taken it. */
export function ChangeAccount({ device }: { device: Schemas["DeviceAnswer"] }) {
  const [open, setOpen] = useState(false);
  const [fields, setFields] = useState({ user: device.user, password: "" });
  const close = () => {
    setOpen(false);
    setFields({ user: device.user, password: "" });
  };
  const change = useChange(
    () =>
      unwrap(api.PUT("/api/devices/{id}/account/", { params: { path: { id: device.id } }, body: fields })),
    close,
  );
  return (
    <>
      <Button
        size="small"
        aria-label={`Account of ${device.name}`}
        onClick={() => {
          change.reset();
          setOpen(true);
        }}
      >
        Account
      </Button>
      <Dialog open={open} onClose={close} aria-labelledby="account-title" fullWidth maxWidth="xs">
        <form
          noValidate
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate();
          }}
        >
          <DialogTitle id="account-title">Account on {device.name}</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 1.5 }}>
            <span>It is tried first; the device itself is not changed, its history and grants stay.</span>
            <TextField
              label="Account"
              autoComplete="off"
              value={fields.user}
              onChange={(event) => {
                setFields({ ...fields, user: event.target.value });
              }}
            />
            <TextField
              label="Password"
              type="password"
              autoComplete="off"
              value={fields.password}
              onChange={(event) => {
                setFields({ ...fields, password: event.target.value });
              }}
            />
            <ProblemAlert error={change.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={close}>Keep the old one</Button>
            <Button
              type="submit"
              variant="contained"
              disabled={change.isPending || !fields.user || !fields.password}
            >
              Try it and use it
            </Button>
          </DialogActions>
        </form>
      </Dialog>
    </>
  );
}
