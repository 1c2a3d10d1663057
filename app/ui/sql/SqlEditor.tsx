import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { sql, SQLite } from "@codemirror/lang-sql";
import { tags } from "@lezer/highlight";
import CodeMirror, { EditorView, keymap, Prec } from "@uiw/react-codemirror";
import Box from "@mui/material/Box";
import { useMemo, useRef } from "react";
import { LOOK } from "../editor-look";

export interface SqlView {
  name: string;
  columns: readonly (readonly [name: string, about: string])[];
}

/** Weight before colour: words of the language stand out, texts and numbers are tinted, in both themes. */
const WORDS = HighlightStyle.define([
  { tag: [tags.keyword, tags.operatorKeyword], fontWeight: "600", color: "var(--mui-palette-primary-main)" },
  { tag: [tags.string, tags.number, tags.bool, tags.null], color: "var(--mui-palette-secondary-main)" },
  { tag: tags.comment, fontStyle: "italic", color: "var(--mui-palette-text-secondary)" },
]);

/** An editor for SQL that completes the views and their columns; Ctrl+Enter runs, Escape then Tab leaves it. */
export function SqlEditor({
  views,
  value,
  onChange,
  onRun,
}: {
  views: readonly SqlView[];
  value: string;
  onChange: (value: string) => void;
  onRun: () => void;
}) {
  const run = useRef(onRun);
  run.current = onRun;
  const extensions = useMemo(
    () => [
      sql({
        dialect: SQLite,
        schema: Object.fromEntries(
          views.map((view) => [
            view.name,
            view.columns.map(([label, detail]) => ({ label, detail, type: "property" })),
          ]),
        ),
        upperCaseKeywords: true,
      }),
      LOOK,
      syntaxHighlighting(WORDS),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ "aria-label": "SQL statement" }),
      Prec.highest(keymap.of([{ key: "Mod-Enter", run: () => (run.current(), true) }])),
    ],
    [views],
  );
  return (
    <Box sx={{ border: 1, borderColor: "divider" }}>
      <CodeMirror
        value={value}
        onChange={onChange}
        height="180px"
        theme="none"
        extensions={extensions}
        basicSetup={{ foldGutter: false, highlightActiveLine: false, syntaxHighlighting: false }}
      />
    </Box>
  );
}
