import { styled } from "@mui/material/styles";

/**
 * The table of short lists. Its rows and cells are plain elements: `th`, `td`, and class `num` for right-aligned
 * figures, `line` for cells that do not wrap, `top` for cells aligned at their top. Drawing a hundred of them costs
 * next to nothing; `pinned` keeps the head in sight while the rows scroll.
 */
export const PlainTable = styled("table", { shouldForwardProp: (name) => name !== "pinned" })<{ pinned?: boolean }>(
  ({ pinned }) => ({
    width: "100%",
    borderCollapse: "collapse",
    fontSize: "0.84rem",
    lineHeight: 1.43,
    "& th, & td": {
      padding: "4px 8px",
      textAlign: "left",
      verticalAlign: "middle",
      borderBottom: "1px solid var(--mui-palette-divider)",
      fontWeight: "inherit",
    },
    "& thead th": {
      fontWeight: 600,
      color: "var(--mui-palette-text-secondary)",
      whiteSpace: "nowrap",
      ...(pinned
        ? { position: "sticky", top: 0, zIndex: 2, backgroundColor: "var(--mui-palette-background-paper)" }
        : {}),
    },
    "& .num": { textAlign: "right" },
    "& .line": { whiteSpace: "nowrap" },
    "& .cut": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
    "& .top": { verticalAlign: "top" },
  }),
);
