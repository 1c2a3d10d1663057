import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { tags } from "@lezer/highlight";
import CodeMirror, { EditorView } from "@uiw/react-codemirror";
import Box from "@mui/material/Box";
import { LOOK } from "../editor-look";

const WORDS = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], fontWeight: "600" },
  { tag: [tags.string, tags.number, tags.bool, tags.null], color: "var(--mui-palette-secondary-main)" },
  { tag: tags.comment, fontStyle: "italic", color: "var(--mui-palette-text-secondary)" },
]);
const EXTENSIONS = [
  yaml(),
  LOOK,
  syntaxHighlighting(WORDS),
  EditorView.lineWrapping,
  EditorView.contentAttributes.of({ "aria-label": "Runbook as YAML" }),
];

/** The runbook as text. Escape then Tab leaves it. */
export function YamlEditor({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  return (
    <Box sx={{ border: 1, borderColor: "divider" }}>
      <CodeMirror
        value={value}
        onChange={onChange}
        extensions={EXTENSIONS}
        theme="none"
        minHeight="320px"
        maxHeight="620px"
      />
    </Box>
  );
}
