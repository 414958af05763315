import Box from "@mui/material/Box";

/** Figures of a thing side by side: what they are above, what they say below. */
export function FactList({ facts }: { facts: readonly (readonly [string, string])[] }) {
  return (
    <Box
      component="dl"
      sx={{
        display: "flex",
        flexWrap: "wrap",
        gap: "10px 28px",
        m: 0,
        mb: 1.5,
        p: "12px 14px",
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
      }}
    >
      {facts.map(([label, text]) => (
        <div key={label} style={{ minWidth: 0 }}>
          <dt style={{ color: "var(--mute)", fontSize: 12 }}>{label}</dt>
          <dd className="mono" style={{ margin: 0, overflowWrap: "anywhere" }}>
            {text}
          </dd>
        </div>
      ))}
    </Box>
  );
}
