import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { FormCard } from "./FormCard";
import { SignIns } from "./SignIns";
import { Tokens } from "./Tokens";
import { useChange } from "../parts/useChange";

/** What everybody keeps for themselves: password, browsers that are signed in, tokens of programs. */
export function AccountPage() {
  const { data: session } = useSession();
  return (
    <Page title="Account" note={<span>{`${session?.name ?? ""}, ${session?.role ?? ""}`}</span>}>
      <Password />
      <Tokens everybodys={session?.administers ?? false} />
      <SignIns everybodys={session?.administers ?? false} />
    </Page>
  );
}

const EMPTY = { old: "", new: "", again: "" };
const SHORTEST = 12;

function Password() {
  const [fields, setFields] = useState(EMPTY);
  const change = useChange(
    () => unwrap(api.PUT("/api/session/password/", { body: { old: fields.old, new: fields.new } })),
    () => {
      setFields(EMPTY);
    },
  );
  const differ = fields.again !== "" && fields.again !== fields.new;
  const short = fields.new !== "" && fields.new.length < SHORTEST;
  const field = (name: keyof typeof EMPTY, label: string, wrong: string | false) => (
    <TextField
      fullWidth={false}
      sx={{ width: 230 }}
      label={label}
      type="password"
      autoComplete={name === "old" ? "current-password" : "new-password"}
      error={!!wrong}
      helperText={wrong}
      value={fields[name]}
      onChange={(event) => {
        setFields({ ...fields, [name]: event.target.value });
      }}
    />
  );
  return (
    <FormCard
      title="Password"
      act="Change it"
      onAct={() => {
        change.mutate();
      }}
      disabled={
        change.isPending || !fields.old || fields.new.length < SHORTEST || fields.new !== fields.again
      }
      error={change.error}
      note={
        change.isSuccess
          ? "It is changed. Your other browsers are signed out."
          : "Your other browsers are signed out by it."
      }
    >
      {field("old", "Old password", false)}
      {field("new", "New password", short && `At least ${String(SHORTEST)} characters.`)}
      {field("again", "The same again", differ && "The two are not the same.")}
    </FormCard>
  );
}
