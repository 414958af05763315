import { zodResolver } from "@hookform/resolvers/zod";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { z } from "zod";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { SESSION_KEY } from "./useSession";

const schema = z.object({
  username: z.string().min(1, "Type your name."),
  password: z.string().min(1, "Type your password."),
});
type Fields = z.infer<typeof schema>;

/** Sign-in, over the page that was open when the session ended. */
export function SignIn({ again }: { again: boolean }) {
  const queries = useQueryClient();
  const { register, handleSubmit, formState } = useForm<Fields>({ resolver: zodResolver(schema) });
  const signIn = useMutation({
    mutationFn: (fields: Fields) => unwrap(api.POST("/api/session/", { body: fields })),
    onSuccess: (session) => {
      queries.setQueryData(SESSION_KEY, session);
      void queries.invalidateQueries();
    },
  });
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
        onSubmit={(event) =>
          void handleSubmit((fields) => {
            signIn.mutate(fields);
          })(event)
        }
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
          <Typography variant="h1">Sign in to Move Lot</Typography>
        </Box>
        <Typography color="textSecondary">
          {again
            ? "Your session has ended. The page stays as it is; what you typed is kept."
            : "Storage for hypervisor clusters, changed in lots."}
        </Typography>
        <TextField
          label="Name"
          autoComplete="username"
          autoFocus
          error={!!formState.errors.username}
          helperText={formState.errors.username?.message}
          {...register("username")}
        />
        <TextField
          label="Password"
          type="password"
          autoComplete="current-password"
          error={!!formState.errors.password}
          helperText={formState.errors.password?.message}
          {...register("password")}
        />
        <ProblemAlert error={signIn.error} />
        <Button type="submit" variant="contained" disabled={signIn.isPending}>
          Sign in
        </Button>
      </Box>
    </Box>
  );
}
