import Typography from "@mui/material/Typography";
import { Link, useLocation } from "react-router";

/** An address that leads nowhere. */
export function NoSuchPage() {
  const { pathname } = useLocation();
  return (
    <>
      <Typography variant="h1">There is no page at {pathname}</Typography>
      <p>
        Press <kbd>/</kbd> to find a thing by its name, or go to <Link to="/">Rounds</Link>.
      </p>
    </>
  );
}
