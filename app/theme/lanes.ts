import type { CSSObject } from "@mui/material/styles";
import { QUIET } from "./inks";

const DIVIDER = "var(--mui-palette-divider)";
const SURFACE = "var(--mui-palette-background-paper)";

const DIAMOND = { width: 8, height: 8, transform: "rotate(45deg)", background: QUIET };
const RING = { width: 8, height: 8, borderRadius: "50%", border: `2px solid ${QUIET}`, background: SURFACE };
const POST = { width: 3, height: 14, background: "var(--mui-palette-text-primary)" };

/** Looks of what happened to the parts of an incident, on the axis of the charts under it. */
export const laneStyles: Record<string, CSSObject> = {
  ".hx-lanes": { padding: "2px 0 4px" },
  ".hx-lane": {
    display: "grid",
    gridTemplateColumns: "176px minmax(0, 1fr)",
    alignItems: "center",
    gap: 4,
    margin: 0,
    padding: "0 6px 0 12px",
    fontSize: "0.84rem",
  },
  ".hx-lane + .hx-lane": { borderTop: `1px solid color-mix(in srgb, ${DIVIDER} 60%, transparent)` },
  ".hx-lane-plot": { position: "relative", height: 22 },
  ".hx-lane-plot > i": { position: "absolute" },
  ".hx-lane-times > span": {
    position: "absolute",
    top: 3,
    transform: "translateX(-50%)",
    fontSize: 11,
    color: QUIET,
    whiteSpace: "nowrap",
  },
  ".hx-lane-tick": { top: 0, bottom: 0, width: 1, background: DIVIDER, opacity: 0.6 },
  ".hx-lane-bar": { top: 6, height: 10, borderRadius: 2 },
  // What goes on has no end.
  ".hx-lane-bar.hx-on": { borderTopRightRadius: 0, borderBottomRightRadius: 0 },
  ".hx-lane-mark": { boxSizing: "border-box", outline: `1.5px solid ${SURFACE}` },
  ".hx-lane-mark.hx-lane-change": { top: 7, marginLeft: -4 },
  ".hx-lane-mark.hx-lane-log": { top: 7, marginLeft: -4 },
  ".hx-lane-mark.hx-lane-act": { top: 4, marginLeft: -1 },
  ".hx-lane-change": DIAMOND,
  ".hx-lane-log": RING,
  ".hx-lane-act": POST,
  ".hx-lane-key": { display: "flex", gap: 10, margin: 0, padding: 0, listStyle: "none", fontSize: 11, color: QUIET },
  ".hx-lane-key li": { display: "flex", alignItems: "center", gap: 5 },
  ".hx-lane-key i": { display: "inline-block", boxSizing: "border-box" },
  ".hx-lane-chart": { alignItems: "start" },
  ".hx-lane-chart figcaption": { minWidth: 0, paddingTop: 4 },
  ".hx-lane-chart .hx-button": { padding: "0 6px", fontSize: "0.76rem", minHeight: 22 },
  ".hx-hairline": { display: "none", top: 0, bottom: 0, width: 1, background: QUIET, pointerEvents: "none" },
  ".hx-new.hx-node, .hx-gone.hx-node, .hx-changed.hx-node": { overflow: "visible" },
  ".hx-gone.hx-node": { borderStyle: "dashed" },
  ".hx-node-differs": {
    position: "absolute",
    right: 6,
    top: 0,
    transform: "translateY(-85%)",
    padding: "0 5px",
    borderRadius: 4,
    lineHeight: 1.25,
    whiteSpace: "nowrap",
    background: "var(--mui-palette-primary-main)",
    color: "var(--mui-palette-primary-contrastText)",
    fontWeight: 600,
    pointerEvents: "none",
    zIndex: 1,
  },
  ".hx-node-mark": {
    position: "absolute",
    right: 0,
    bottom: 0,
    padding: "0 5px",
    borderTopLeftRadius: 4,
    background: "var(--mui-palette-primary-main)",
    color: "var(--mui-palette-primary-contrastText)",
    fontWeight: 600,
    pointerEvents: "none",
  },
};
