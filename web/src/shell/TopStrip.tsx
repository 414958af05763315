import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Divider from "@mui/material/Divider";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Tooltip from "@mui/material/Tooltip";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, NavLink, useLocation } from "react-router";
import { api, unwrap } from "../api/client";
import { countOf, formatMoment } from "../parts/format";
import { useNow } from "../parts/useNow";
import { useUnit } from "../parts/unit";
import { Key } from "../parts/Key";
import { useMode } from "../theme/mode";
import { accountPages, type PageEntry, STRIP } from "./pages";
import { sessionQuery } from "./queries";
import { NARROW } from "./trayState";
import { useSession } from "./useSession";
import { useStatus } from "./useStatus";

interface Props {
  onFind: () => void;
  onKeys: () => void;
  reread: () => void;
  /** How far a reading is; empty while none is taken. */
  rereading: string;
}

const STALE_SECONDS = 120;

/** The top strip: the work in its order, find, unit, age of the reading, account. */
export function TopStrip({ onFind, onKeys, reread, rereading }: Props) {
  const { data: status } = useStatus();
  return (
    <Box
      component="header"
      sx={{
        gridColumn: "1 / -1",
        background: "var(--strip)",
        color: "var(--onStrip)",
        display: "flex",
        alignItems: "stretch",
        gap: 1,
        px: 2,
        minWidth: 0,
      }}
    >
      <Link
        to="/"
        aria-label="Move Lot, rounds"
        style={{
          display: "flex",
          alignItems: "center",
          gap: 9,
          textDecoration: "none",
          fontWeight: 650,
          fontSize: 15,
          marginRight: 8,
          whiteSpace: "nowrap",
        }}
      >
        <img src={`${import.meta.env.BASE_URL}mark.svg`} alt="" width="26" height="26" /> Move Lot
      </Link>
      <Strip waiting={status?.waiting ?? {}} />
      <Box sx={{ flex: 1 }} />
      <ButtonBase
        onClick={onFind}
        aria-keyshortcuts="/"
        sx={{
          alignSelf: "center",
          height: 32,
          width: { xs: 44, lg: 170 },
          px: 1.25,
          justifyContent: "space-between",
          border: "1px solid var(--muteOnStrip)",
          borderRadius: "5px",
          fontSize: 13,
          color: "var(--muteOnStrip)",
        }}
      >
        <Box component="span" sx={{ display: { xs: "none", lg: "inline" } }}>
          Find anything
        </Box>{" "}
        <Key>/</Key>
      </ButtonBase>
      <UnitButton />
      <Age
        at={status?.oldest_reading_at ?? null}
        devices={status?.devices ?? null}
        away={status?.devices_away ?? 0}
        reread={reread}
        rereading={rereading}
      />
      <Account onKeys={onKeys} />
    </Box>
  );
}

/** The pages in the order of the work; in a menu where there is no width for them. */
function Strip({ waiting }: { waiting: Record<string, number> }) {
  const narrow = useMediaQuery(NARROW);
  if (narrow) return <StripMenu waiting={waiting} />;
  return (
    <Box component="nav" aria-label="Pages" sx={{ display: "flex", gap: 0.25 }}>
      {STRIP.map((page) => (
        <PageLink key={page.path} to={page.path} name={page.name} count={waiting[page.stage] ?? 0} />
      ))}
    </Box>
  );
}

const isOpen = (page: PageEntry, pathname: string) =>
  page.path === "/" ? pathname === "/" : pathname.startsWith(page.path);

function StripMenu({ waiting }: { waiting: Record<string, number> }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { pathname } = useLocation();
  const open = STRIP.find((page) => isOpen(page, pathname));
  const close = () => {
    setAnchor(null);
  };
  return (
    <Box component="nav" aria-label="Pages" sx={{ display: "flex" }}>
      <ButtonBase
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(event) => {
          setAnchor(event.currentTarget);
        }}
        sx={{ px: 1.25, fontSize: 13.5, fontWeight: 650 }}
      >
        {open?.name ?? "Pages"} ▾
      </ButtonBase>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
        {STRIP.map((page) => (
          <MenuItem key={page.path} component={Link} to={page.path} selected={page === open} onClick={close}>
            <span style={{ flex: 1, marginRight: 16 }}>{page.name}</span>
            <span className="mono">{waiting[page.stage] || ""}</span>
          </MenuItem>
        ))}
      </Menu>
    </Box>
  );
}

function PageLink({ to, name, count }: { to: string; name: string; count: number }) {
  return (
    <NavLink to={to} end={to === "/"} style={{ textDecoration: "none", display: "flex" }}>
      {({ isActive }) => (
        <Box
          sx={{
            display: "flex",
            alignItems: "center",
            gap: 0.75,
            px: 1.1,
            fontSize: 13.5,
            fontWeight: isActive ? 650 : 400,
            color: isActive ? "var(--onStrip)" : "var(--muteOnStrip)",
            borderBottom: "3px solid",
            borderTop: "3px solid transparent",
            borderBottomColor: isActive ? "var(--buoy)" : "transparent",
            whiteSpace: "nowrap",
          }}
        >
          {name}
          {count > 0 && (
            <Box
              component="span"
              className="mono"
              sx={{ border: "1px solid currentColor", borderRadius: "4px", fontSize: 11, px: 0.6 }}
            >
              {count}
            </Box>
          )}
        </Box>
      )}
    </NavLink>
  );
}

function UnitButton() {
  const { unit, toggle } = useUnit();
  return (
    <Tooltip title="Sizes in TiB or TB (U)">
      <ButtonBase
        onClick={toggle}
        aria-label={`Sizes in ${unit}; change`}
        className="mono"
        sx={{ px: 1, fontSize: 12, color: "var(--onStrip)" }}
      >
        {unit}
      </ButtonBase>
    </Tooltip>
  );
}

interface AgeProps {
  at: string | null;
  devices: number | null;
  away: number;
  reread: () => void;
  /** How far a reading is; empty while none is taken. */
  rereading: string;
}

function Age({ at, devices, away, reread, rereading }: AgeProps) {
  const now = useNow(1000);
  const stale = at !== null && (now.getTime() - new Date(at).getTime()) / 1000 > STALE_SECONDS;
  const text =
    devices === null
      ? "…"
      : devices === 0
        ? "no devices"
        : rereading
          ? rereading
          : at
            ? `read ${formatMoment(at, now)}`
            : "not read yet";
  return (
    <Tooltip
      title={away ? `${countOf(away, "device")} cannot be read` : "Age of the oldest reading. Reread (R)"}
    >
      <ButtonBase
        onClick={reread}
        sx={{
          px: 1,
          fontSize: 12.5,
          whiteSpace: "nowrap",
          color: away || stale ? "var(--heat3)" : "var(--muteOnStrip)",
        }}
      >
        {away > 0 && `▲ ${String(away)} away · `}
        {text}
      </ButtonBase>
    </Tooltip>
  );
}

function Account({ onKeys }: { onKeys: () => void }) {
  const { mode, setMode } = useMode();
  const { data: session } = useSession();
  const queries = useQueryClient();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const signOut = useMutation({
    mutationFn: () => unwrap(api.DELETE("/api/session/")),
    onSuccess: (data) => {
      queries.setQueryData(sessionQuery().queryKey, data);
    },
  });
  const close = () => {
    setAnchor(null);
  };
  const initials = (session?.name ?? "")
    .split(".")
    .map((part) => part.charAt(0).toUpperCase())
    .join("");
  return (
    <>
      <ButtonBase
        aria-label={`Account ${session?.name ?? ""}`}
        aria-haspopup="menu"
        onClick={(event) => {
          setAnchor(event.currentTarget);
        }}
        className="mono"
        sx={{
          alignSelf: "center",
          ml: 0.5,
          height: 28,
          minWidth: 30,
          px: 0.75,
          border: "1px solid var(--muteOnStrip)",
          borderRadius: "4px",
          fontSize: 12,
        }}
      >
        {initials}
      </ButtonBase>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
        <MenuItem disabled sx={{ opacity: "1 !important" }}>
          {session?.name}, {session?.role}
        </MenuItem>
        <Divider />
        {accountPages(session?.administers ?? false).map(({ path, name }) => (
          <MenuItem key={path} component={Link} to={path} onClick={close}>
            {name}
          </MenuItem>
        ))}
        <Divider />
        <MenuItem
          onClick={() => {
            close();
            setMode(mode === "light" ? "dark" : "light");
          }}
        >
          {mode === "light" ? "Dark theme" : "Light theme"}
        </MenuItem>
        <MenuItem
          onClick={() => {
            close();
            onKeys();
          }}
        >
          Keys
        </MenuItem>
        <Divider />
        <MenuItem
          onClick={() => {
            close();
            signOut.mutate();
          }}
        >
          Sign out
        </MenuItem>
      </Menu>
    </>
  );
}
