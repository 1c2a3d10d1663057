import { EditorView } from "@uiw/react-codemirror";
import { MONO } from "../theme/theme";

/** How editors of text look, by day and by night. */
export const LOOK = EditorView.theme({
  "&": {
    fontSize: "0.82rem",
    backgroundColor: "var(--mui-palette-background-paper)",
    color: "var(--mui-palette-text-primary)",
  },
  ".cm-content": { fontFamily: MONO, caretColor: "var(--mui-palette-text-primary)" },
  ".cm-gutters": { backgroundColor: "var(--hx-raised)", color: "var(--mui-palette-text-secondary)", border: "none" },
  ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "transparent" },
  "&.cm-focused": { outline: "2px solid var(--mui-palette-primary-main)" },
  ".cm-cursor": { borderLeftColor: "var(--mui-palette-text-primary)" },
  ".cm-tooltip": {
    backgroundColor: "var(--mui-palette-background-paper)",
    border: "1px solid var(--mui-palette-divider)",
  },
});
