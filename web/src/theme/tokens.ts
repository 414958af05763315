/** Colours by role, for both themes. Pages use them as CSS variables (`var(--ink)`), never as literals. */
export type Mode = "light" | "dark";

const light = {
  paper: "#F3F1EA",
  card: "#FFFEFB",
  ink: "#1B2A30",
  mute: "#56666B",
  line: "#D8D3C6",
  tide: "#0E5E63",
  onTide: "#FFFEFB",
  tideSoft: "#DCE9E7",
  buoy: "#D9481C",
  buoyText: "#B93A12",
  buoySoft: "#F8E3D9",
  brass: "#A97614",
  brassText: "#7E570B",
  brassSoft: "#F7EFDC",
  strip: "#1B2A30",
  onStrip: "#F3F1EA",
  muteOnStrip: "#AEBDC1",
  heat0: "#D5E5E1",
  heat1: "#A9CDC5",
  heat2: "#6FAFA6",
  heat3: "#E7C56B",
  heat4: "#E58A4E",
  heat5: "#C2411C",
  onHeat: "#1B2A30",
  onHot: "#FFFEFB",
  track: "#E8E3D6",
  focus: "#1B2A30",
  focusHalo: "#FFFEFB",
};

const dark: typeof light = {
  ...light,
  paper: "#12191C",
  card: "#1A2327",
  ink: "#ECE9E1",
  mute: "#A3B3B7",
  line: "#36464C",
  tide: "#6FBDB6",
  onTide: "#0C1517",
  tideSoft: "#21393B",
  buoy: "#FF7F54",
  buoyText: "#FF9673",
  buoySoft: "#3A231B",
  brass: "#D9A441",
  brassText: "#E3B45C",
  brassSoft: "#332B19",
  strip: "#0B1113",
  onStrip: "#ECE9E1",
  muteOnStrip: "#A3B3B7",
  track: "#2A373C",
  focus: "#ECE9E1",
  focusHalo: "#0B1113",
};

export const tokens: Record<Mode, typeof light> = { light, dark };

/** Colour of a heat level, 0 to 5, and of text on it. */
export const heatColour = (level: number): string => `var(--heat${String(level)})`;
export const onHeat = (level: number): string => (level >= 5 ? "var(--onHot)" : "var(--onHeat)");
