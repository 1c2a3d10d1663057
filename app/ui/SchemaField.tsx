import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useRef, useState } from "react";
import { MONO } from "../theme/theme";
import type { Field } from "#core/forms/field";

const MOST_BYTES = 5_000_000;

/** Text that may be pasted, or read from a file. */
function FileField({ field, problem }: { field: Field; problem: string | undefined }) {
  const [text, setText] = useState(field.value);
  const [refused, setRefused] = useState("");
  const chooser = useRef<HTMLInputElement>(null);
  const choose = async (file: File | undefined) => {
    if (!file) return;
    if (file.size > MOST_BYTES) return setRefused(`${file.name} has more than 5 MB; part it in two.`);
    setRefused("");
    setText(await file.text());
  };
  return (
    <div>
      <TextField
        name={field.name}
        label={field.label}
        value={text}
        onChange={(event) => setText(event.target.value)}
        error={problem !== undefined || refused !== ""}
        helperText={refused || (problem ?? field.help)}
        fullWidth
        multiline
        minRows={4}
        maxRows={12}
        slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: MONO, fontSize: "0.8rem" } } }}
      />
      <Button size="small" sx={{ mt: 0.5 }} onClick={() => chooser.current?.click()}>
        Choose a file …
      </Button>
      <input
        ref={chooser}
        type="file"
        hidden
        accept={field.file}
        aria-label={`${field.label} from a file`}
        onChange={(event) => void choose(event.target.files?.[0])}
      />
    </div>
  );
}

/** One field of a form that is made from a schema; a sentence of the server stands where its help does. */
export function SchemaField({ field, problem }: { field: Field; problem: string | undefined }) {
  if (field.type === "boolean")
    return (
      <FormControlLabel
        control={<Switch name={field.name} defaultChecked={field.value === "true"} />}
        label={field.help ? `${field.label}: ${field.help}` : field.label}
      />
    );
  if (field.file) return <FileField field={field} problem={problem} />;
  return (
    <TextField
      name={field.name}
      label={field.label}
      defaultValue={field.value}
      error={problem !== undefined}
      helperText={problem ?? field.help}
      fullWidth={field.type === "text" || field.type === "lines"}
      sx={field.type === "number" || field.type === "choice" ? { width: 240 } : {}}
      {...(field.type === "lines" ? { multiline: true, minRows: 2 } : {})}
      {...(field.type === "choice" ? { select: true } : {})}
      {...(field.type === "number" ? { slotProps: { htmlInput: { inputMode: "numeric" as const } } } : {})}
    >
      {field.type === "choice"
        ? field.choices.map((choice) => (
            <MenuItem key={choice.value} value={choice.value}>
              {choice.label}
            </MenuItem>
          ))
        : null}
    </TextField>
  );
}
