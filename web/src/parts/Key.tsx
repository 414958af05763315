import Box from "@mui/material/Box";

/** A key of the keyboard. */
export function Key({ children }: { children: string }) {
  return (
    <Box
      component="kbd"
      className="mono"
      sx={{ border: "1px solid currentColor", borderRadius: "3px", fontSize: 11, px: 0.6, lineHeight: 1.5 }}
    >
      {children}
    </Box>
  );
}
