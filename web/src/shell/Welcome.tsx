import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { sessionQuery } from "./queries";
import { SignInFrame } from "./SignIn";

const SHORTEST = 12;

/** Where a one-time link leads: a password is chosen, and by that its person is signed in. */
export function Welcome({ secret }: { secret: string }) {
  const queries = useQueryClient();
  const [fields, setFields] = useState({ name: "", password: "", again: "" });
  const [tried, setTried] = useState(false);
  const invited = useQuery({
    queryKey: ["welcome", secret],
    queryFn: () => unwrap(api.POST("/api/welcome/", { body: { secret } })),
    staleTime: Infinity,
    retry: false,
  });
  const accept = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/welcome/accept/", {
          body: { secret, name: fields.name, password: fields.password },
        }),
      ),
    onSuccess: (session) => {
      window.history.replaceState(null, "", "/");
      queries.setQueryData(sessionQuery().queryKey, session);
    },
  });
  const { data } = invited;
  const choosesName = data?.name === "";
  const wrong = {
    name: choosesName && !fields.name && "Type a name, as ines.marrow.",
    password: fields.password.length < SHORTEST && `Choose at least ${String(SHORTEST)} characters.`,
    again: fields.again !== fields.password && "The two are not the same.",
  };
  const field = (name: keyof typeof fields, label: string, complete: string) => (
    <TextField
      label={label}
      name={name}
      type={name === "name" ? "text" : "password"}
      autoComplete={complete}
      error={tried && !!wrong[name]}
      helperText={tried && wrong[name]}
      value={fields[name]}
      onChange={(event) => {
        setFields({ ...fields, [name]: event.target.value });
      }}
    />
  );
  return (
    <SignInFrame
      title="Welcome to Move Lot"
      onSubmit={() => {
        setTried(true);
        if (!wrong.name && !wrong.password && !wrong.again) accept.mutate();
      }}
    >
      {data && (
        <>
          <Typography color="textSecondary">
            {choosesName ? (
              <>You will be the first administrator: you let the others in, and change no storage.</>
            ) : (
              <>
                Choose a password for <strong>{data.name}</strong>, {data.role}. This link works once.
              </>
            )}
          </Typography>
          {choosesName && field("name", "Name", "username")}
          {field("password", "Password", "new-password")}
          {field("again", "The same again", "new-password")}
          <ProblemAlert error={accept.error} />
          <Button type="submit" variant="contained" disabled={accept.isPending}>
            Set it and sign in
          </Button>
        </>
      )}
      <ProblemAlert error={invited.error} />
      {invited.error && (
        <Box component="a" href="/" sx={{ color: "var(--ink)" }}>
          To the sign-in
        </Box>
      )}
    </SignInFrame>
  );
}
