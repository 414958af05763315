import { createTheme, type Theme } from "@mui/material/styles";
import { type Mode, tokens } from "./tokens";

export const MONO = '"Spline Sans Mono Variable", monospace';
const SANS = '"Instrument Sans Variable", sans-serif';

/** The one theme: type, colours, corners and the density of controls. */
export function makeTheme(mode: Mode): Theme {
  const t = tokens[mode];
  const FOCUS = {
    outline: `2px solid ${t.focus}`,
    outlineOffset: "1px",
    boxShadow: `0 0 0 5px ${t.focusHalo}`,
    zIndex: 1,
  };
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
          // Two tones: one of them stands out on paper, on the dark strip and on heat alike.
          "*:focus-visible": FOCUS,
          // Fields of text show the focus by their own frame.
          "input:not([type=radio]):not([type=checkbox]):focus-visible, textarea:focus-visible": {
            outline: "none",
            boxShadow: "none",
          },
          "@media (prefers-reduced-motion: reduce)": {
            "*, *::before, *::after": { animation: "none !important", transition: "none !important" },
          },
          a: { color: "inherit" },
          ".mono, .mono.MuiButtonBase-root": { fontFamily: MONO, fontVariantNumeric: "tabular-nums" },
        },
      },
      MuiButtonBase: {
        defaultProps: { disableRipple: true },
        styleOverrides: {
          // Buttons take the outline away by themselves; theirs has to be said again.
          root: { fontFamily: "inherit", "&&:focus-visible, &&.Mui-focusVisible": FOCUS },
        },
      },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "small", disableRipple: true },
        styleOverrides: {
          root: { minHeight: 28, padding: "3px 12px", whiteSpace: "nowrap" },
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
