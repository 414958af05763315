import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { sessionQuery } from "./queries";

interface Fields {
  username: string;
  password: string;
}

/** Sign-in, over the page that was open when the session ended. */
export function SignIn({ again }: { again: boolean }) {
  const queries = useQueryClient();
  const [fields, setFields] = useState<Fields>({ username: "", password: "" });
  const [tried, setTried] = useState(false);
  const signIn = useMutation({
    mutationFn: (fields: Fields) => unwrap(api.POST("/api/session/", { body: fields })),
    onSuccess: (session) => {
      queries.setQueryData(sessionQuery().queryKey, session);
      void queries.invalidateQueries();
    },
  });
  return (
    <SignInFrame
      title="Sign in to Move Lot"
      onSubmit={() => {
        setTried(true);
        if (fields.username && fields.password) signIn.mutate(fields);
      }}
    >
      <Typography color="textSecondary">
        {again
          ? "Your session has ended. The page stays as it is; what you typed is kept."
          : "Storage for hypervisor clusters, changed in lots."}
      </Typography>
      <TextField
        label="Name"
        autoComplete="username"
        autoFocus
        name="username"
        error={tried && !fields.username}
        helperText={tried && !fields.username && "Type your name."}
        value={fields.username}
        onChange={(event) => {
          setFields({ ...fields, username: event.target.value });
        }}
      />
      <TextField
        label="Password"
        type="password"
        autoComplete="current-password"
        name="password"
        error={tried && !fields.password}
        helperText={tried && !fields.password && "Type your password."}
        value={fields.password}
        onChange={(event) => {
          setFields({ ...fields, password: event.target.value });
        }}
      />
      <ProblemAlert error={signIn.error} />
      <Button type="submit" variant="contained" disabled={signIn.isPending}>
        Sign in
      </Button>
    </SignInFrame>
  );
}

interface FrameProps {
  title: string;
  onSubmit: () => void;
  children: ReactNode;
}

/** The card that stands alone on the screen while nobody is signed in. */
export function SignInFrame({ title, onSubmit, children }: FrameProps) {
  return (
    <Box
      component="main"
      sx={{
        position: "fixed",
        inset: 0,
        zIndex: 1400,
        background: "var(--paper)",
        display: "grid",
        placeItems: "center",
        p: 2,
      }}
    >
      <Box
        component="form"
        noValidate
        onSubmit={(event) => {
          event.preventDefault();
          onSubmit();
        }}
        sx={{
          width: 340,
          p: 3,
          background: "var(--card)",
          border: "1px solid var(--line)",
          borderRadius: "6px",
          display: "grid",
          gap: 2,
        }}
      >
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
          <img src={`${import.meta.env.BASE_URL}mark.svg`} alt="" width="28" height="28" />
          <Typography variant="h1">{title}</Typography>
        </Box>
        {children}
      </Box>
    </Box>
  );
}
