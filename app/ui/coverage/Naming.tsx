import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { allKinds } from "#core/catalogue/kinds";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

/** Kinds that a product can be of. */
const productKinds = () => allKinds().filter(([id]) => /^(app|db|queue|dir)\./.test(id) && id !== "app.container");

/** Names what a part is by words that it shows, so that it and its like are recognised from then on. */
export function Naming({ part, answer }: { part: NonNullable<Answer<"naming">>; answer: Refusal | undefined }) {
  const busy = useNavigation().state === "submitting";
  const [clue, setClue] = useState(part.clues[0]?.clue ?? "process");
  const words = part.clues.find((one) => one.clue === clue)?.words ?? "";
  const problem = (field: string) => answer?.fields?.[field];
  return (
    <Section title={`What is ${part.name}?`}>
      <Form method="post" noValidate>
        <input type="hidden" name="intent" value="name" />
        <Stack sx={{ gap: 1.5 }}>
          <Stack direction="row" sx={{ gap: 1.5 }}>
            <TextField
              name="product"
              label="Product"
              required
              fullWidth
              error={problem("product") !== undefined}
              helperText={problem("product") ?? "As people call it."}
            />
            <TextField name="kind" label="Kind" select defaultValue={part.kind} sx={{ width: 260 }}>
              {productKinds().map(([id, kind]) => (
                <MenuItem key={id} value={id}>
                  {kind.label}
                </MenuItem>
              ))}
            </TextField>
          </Stack>
          <Stack direction="row" sx={{ gap: 1.5 }}>
            <TextField
              name="clue"
              label="Known by its"
              select
              value={clue}
              onChange={(event) => setClue(event.target.value as typeof clue)}
              sx={{ width: 260 }}
            >
              {part.clues.map((one) => (
                <MenuItem key={one.clue} value={one.clue}>
                  {one.fact}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              key={clue}
              name="words"
              label="Words in it"
              defaultValue={words}
              fullWidth
              error={problem("words") !== undefined}
              helperText={problem("words") ?? "Leave the version out; it is read from what follows these words."}
            />
          </Stack>
          <div>
            <RightButton right="configure" type="submit" variant="contained" disabled={busy}>
              Name it
            </RightButton>
          </div>
        </Stack>
      </Form>
    </Section>
  );
}
