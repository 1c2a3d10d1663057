import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form } from "react-router";
import type { Answer } from "#server/pages/registry";
import { Caption, Section } from "../Page";
import { RightButton } from "../RightButton";

type Note = NonNullable<Answer<"kit">>["notes"][number];

/** The notes of a kit, which people write anew in their place. */
export function KitNotes({ notes }: { notes: readonly Note[] }) {
  // Open until what was written is kept: one that is refused is not lost.
  const [open, setOpen] = useState<{ key: string; at: number } | null>(null);
  if (notes.length === 0) return null;
  return (
    <Section title={`Notes: ${notes.length}`}>
      <Stack sx={{ gap: 2 }}>
        {notes.map((note) => {
          const key = `${note.metric} ${note.title}`;
          const at = note.own?.at ?? 0;
          return (
            <article key={key} aria-label={note.own?.title ?? note.title}>
              <strong>{note.own?.title ?? note.title}</strong>
              <Caption>
                Shown with {note.about.toLowerCase()}
                {note.own ? `; written by ${note.own.by} in the place of the kit's` : ""}
              </Caption>
              {open?.key === key && open.at === at ? (
                <NoteForm note={note} onDone={() => setOpen(null)} />
              ) : (
                <>
                  <ol style={{ margin: "2px 0 4px", paddingLeft: 20, fontSize: "0.84rem" }}>
                    {(note.own?.lines ?? note.lines).map((line) => (
                      <li key={line}>{line}</li>
                    ))}
                  </ol>
                  <div className="hx-row" style={{ gap: 4 }}>
                    <RightButton
                      right="configure"
                      size="small"
                      onClick={() => setOpen({ key, at })}
                      aria-label={`Edit the note ${note.title}`}
                    >
                      Edit
                    </RightButton>
                    {note.own ? <PutBack id={note.own.id} title={note.title} /> : null}
                  </div>
                </>
              )}
            </article>
          );
        })}
      </Stack>
    </Section>
  );
}

function NoteForm({ note, onDone }: { note: Note; onDone: () => void }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value="note" />
      <input type="hidden" name="metric" value={note.metric} />
      <input type="hidden" name="replaces" value={note.title} />
      <Stack sx={{ gap: 1, mt: 1 }}>
        <TextField name="title" label="Title" defaultValue={note.own?.title ?? note.title} />
        <TextField
          name="text"
          label="Lines"
          multiline
          minRows={4}
          defaultValue={(note.own?.lines ?? note.lines).join("\n")}
          helperText="Each line is a step of the list."
        />
        <div className="hx-row" style={{ gap: 8 }}>
          <RightButton right="configure" type="submit" variant="contained">
            Save
          </RightButton>
          <Button onClick={onDone}>Cancel</Button>
        </div>
      </Stack>
    </Form>
  );
}

function PutBack({ id, title }: { id: number; title: string }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value="back" />
      <input type="hidden" name="id" value={id} />
      <RightButton right="configure" type="submit" size="small" aria-label={`Restore the kit's note ${title}`}>
        Restore the kit's note
      </RightButton>
    </Form>
  );
}
