import Box from "@mui/material/Box";
import { lazy, type ReactNode, Suspense, useState } from "react";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "./useSession";

// Most come signed in.
const SignIn = lazy(async () => ({ default: (await import("./SignIn")).SignIn }));
const Welcome = lazy(async () => ({ default: (await import("./Welcome")).Welcome }));

/** What a one-time link carries: behind the #, so that it reaches no server's log. */
const secretOf = ({ pathname, hash }: Location) => (pathname === "/welcome" ? hash.slice(1) : "");

/** Shows the sign-in when nobody is signed in. A page that was open stays mounted beneath, with all that was typed. */
export function SessionGate({ children }: { children: ReactNode }) {
  const session = useSession();
  const signedIn = Boolean(session.data?.name);
  const [opened, setOpened] = useState(false);
  if (signedIn && !opened) setOpened(true);
  if (session.error && !session.data) {
    return (
      <Box sx={{ maxWidth: 560, m: "80px auto" }}>
        <ProblemAlert error={session.error} />
      </Box>
    );
  }
  if (!session.data) return null;
  const secret = secretOf(window.location);
  return (
    <>
      {opened && (
        <div inert={!signedIn} aria-hidden={!signedIn}>
          {children}
        </div>
      )}
      <Suspense>{!signedIn && (secret ? <Welcome secret={secret} /> : <SignIn again={opened} />)}</Suspense>
    </>
  );
}
