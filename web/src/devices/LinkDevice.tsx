import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { ShownCertificate } from "./ShownCertificate";

interface Fields {
  url: string;
  user: string;
  password: string;
}
const EMPTY: Fields = { url: "", user: "", password: "" };
const MISSING: Fields = {
  url: "Type the device's address, as https://10.40.2.10.",
  user: "Type the account's name.",
  password: "Type the account's password.",
};

/** Linking a device in two acts: show its certificate, then pin it once a person has compared the fingerprint. */
export function LinkDevice() {
  const queries = useQueryClient();
  const [fields, setFields] = useState(EMPTY);
  const [tried, setTried] = useState(false);
  const shown = useMutation({
    mutationFn: (url: string) => unwrap(api.POST("/api/devices/probe/", { body: { url } })),
  });
  const link = useMutation({
    mutationFn: (body: Fields & { fingerprint: string }) => unwrap(api.POST("/api/devices/", { body })),
    onSuccess: () => {
      setFields(EMPTY);
      setTried(false);
      shown.reset();
      void queries.invalidateQueries();
    },
  });
  const certificate = shown.data;
  const submit = () => {
    setTried(true);
    if (!fields.url || !fields.user || !fields.password) return;
    if (certificate) link.mutate({ ...fields, fingerprint: certificate.fingerprint });
    else shown.mutate(fields.url);
  };
  const field = (name: keyof Fields, label: string, type = "text") => {
    const missing = tried && !fields[name];
    return (
      <TextField
        label={label}
        type={type}
        name={name}
        autoComplete="off"
        disabled={!!certificate}
        error={missing}
        helperText={missing && MISSING[name]}
        value={fields[name]}
        onChange={(event) => {
          setFields({ ...fields, [name]: event.target.value });
        }}
      />
    );
  };
  return (
    <Box
      component="form"
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        submit();
      }}
      sx={{
        maxWidth: 640,
        p: 2,
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        display: "grid",
        gap: 1.5,
      }}
    >
      <Typography variant="h2" component="h2">
        Link a device
      </Typography>
      {field("url", "Address")}
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.5 }}>
        {field("user", "Account")}
        {field("password", "Password", "password")}
      </Box>
      <ProblemAlert error={shown.error ?? link.error} />
      {certificate && (
        <Box sx={{ p: 1.5, background: "var(--tideSoft)", borderRadius: "4px" }}>
          Compare this fingerprint with the one the device itself shows, then pin it.
          <ShownCertificate certificate={certificate} />
        </Box>
      )}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={shown.isPending || link.isPending}>
          {certificate ? "I compared it: pin and link" : "Show its certificate"}
        </Button>
        {certificate && (
          <Button
            onClick={() => {
              shown.reset();
            }}
          >
            Back
          </Button>
        )}
      </Box>
    </Box>
  );
}
