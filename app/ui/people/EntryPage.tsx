import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Mark } from "../Mark";

/** The page before one is in: the mark, a sentence, a form. */
export function EntryPage({ sentence, children }: { sentence: string; children: ReactNode }) {
  return (
    <Box component="main" sx={{ minHeight: "100vh", display: "grid", placeItems: "center", p: 2 }}>
      <Box sx={{ width: "100%", maxWidth: 440, display: "flex", flexDirection: "column", gap: 2 }}>
        <span className="hx-mark">
          <Mark />
          <strong>Holotaxis</strong>
        </span>
        <Typography variant="h1" sx={{ fontSize: "1.2rem", fontWeight: 600 }}>
          {sentence}
        </Typography>
        {children}
      </Box>
    </Box>
  );
}
