import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import { useSubmit } from "react-router";
import { useWhyNot } from "../RightButton";
import { Caption, Problem, Section } from "../Page";

const MOST_BYTES = 262_144;

/** Takes rules and notes in from the file of a kit, and says what came of it. */
export function KitFile({ taken }: { taken: { added: string[]; changed: string[]; same: number } | null }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const submit = useSubmit();
  const reason = useWhyNot("configure");
  const take = async (file: File | undefined) => {
    if (!file) return;
    const isTooLarge = file.size > MOST_BYTES;
    setProblem(isTooLarge ? `${file.name} has more than 256 KiB; a kit's file is smaller.` : null);
    if (!isTooLarge) void submit({ text: await file.text() }, { method: "post" });
    if (chooser.current) chooser.current.value = "";
  };
  return (
    <Section title="Import">
      <Problem>{problem}</Problem>
      <Button
        variant="outlined"
        aria-disabled={reason !== undefined}
        title={reason}
        onClick={() => (reason === undefined ? chooser.current?.click() : undefined)}
      >
        Import a kit file …
      </Button>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".json"
        aria-label="A kit's file"
        onChange={(event) => void take(event.target.files?.[0])}
      />
      {taken ? <p role="status">{wordsOf(taken)}</p> : null}
      <Caption>
        Rules and notes of the file replace those of the same names. A kit's page exports it as it is here.
      </Caption>
    </Section>
  );
}

function wordsOf({ added, changed, same }: { added: string[]; changed: string[]; same: number }): string {
  const parts = [
    added.length ? `New: ${added.join(", ")}.` : "",
    changed.length ? `Changed: ${changed.join(", ")}.` : "",
    same ? `${same} ${same === 1 ? "part was" : "parts were"} as in the file.` : "",
  ];
  return parts.filter(Boolean).join(" ") || "The file has neither rules nor notes.";
}
