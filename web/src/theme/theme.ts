import { createTheme, type Theme } from "@mui/material/styles";
import { type Mode, tokens } from "./tokens";

export const MONO = '"Spline Sans Mono Variable", monospace';
const SANS = '"Instrument Sans Variable", sans-serif';

/** The one theme: type, colours, corners and the density of controls. */
export function makeTheme(mode: Mode): Theme {
  const t = tokens[mode];
  const variables = Object.fromEntries(Object.entries(t).map(([name, value]) => [`--${name}`, value]));
  return createTheme({
    palette: {
      mode,
      primary: { main: t.tide, contrastText: t.onTide },
      error: { main: t.buoyText },
      warning: { main: t.brassText },
      background: { default: t.paper, paper: t.card },
      text: { primary: t.ink, secondary: t.mute },
      divider: t.line,
    },
    shape: { borderRadius: 5 },
    typography: {
      fontFamily: SANS,
      fontSize: 13,
      body1: { fontSize: 13, lineHeight: 1.45 },
      body2: { fontSize: 12, lineHeight: 1.45 },
      h1: { fontSize: 19, fontWeight: 650 },
      h2: { fontSize: 14, fontWeight: 650 },
      button: { fontSize: 13, fontWeight: 600, textTransform: "none" },
    },
    components: {
      MuiCssBaseline: {
        styleOverrides: {
          ":root": variables,
          body: { background: t.paper, color: t.ink },
          "*:focus-visible": { outline: `2px solid ${t.tide}`, outlineOffset: "1px" },
          a: { color: "inherit" },
          ".mono": { fontFamily: MONO, fontVariantNumeric: "tabular-nums" },
        },
      },
      MuiButtonBase: { styleOverrides: { root: { fontFamily: "inherit" } } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "small", disableRipple: true },
        styleOverrides: {
          root: { minHeight: 28, padding: "3px 12px" },
          outlined: { borderColor: t.ink, color: t.ink, background: t.card },
        },
      },
      MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: "none" } } },
      MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
      MuiTableCell: { styleOverrides: { root: { padding: "8px 12px", fontSize: 13, borderColor: t.line } } },
      MuiInputBase: { styleOverrides: { root: { fontSize: 13, background: t.card } } },
      MuiInputLabel: { styleOverrides: { root: { fontSize: 13 } } },
    },
  });
}
