import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useNavigate } from "react-router";
import { entryInWords } from "#core/estate/service-list";
import { ComponentPicker } from "../ComponentPicker";
import { PlainButton } from "../PlainButton";
import type { ServiceFormPage } from "./page";

/** Where people and other services come in: chosen by name, kept as patterns, so that what is like them joins by itself. */
export function EntryPoints({ page, from }: { page: ServiceFormPage; from: readonly number[] }) {
  const navigate = useNavigate();
  const look = (ids: readonly number[]) =>
    void navigate(ids.length ? `?entry=${ids.join(",")}` : "?", { preventScrollReset: true });
  return (
    <Stack sx={{ gap: 1.5 }}>
      {page.entries.map((entry, index) => (
        <Stack key={entryInWords(entry)} direction="row" sx={{ gap: 1.5, alignItems: "flex-start" }}>
          <TextField name="entry.process" label="Program" defaultValue={entry.process} sx={{ width: 200 }} />
          <TextField name="entry.where" label="On hosts" defaultValue={entry.host} sx={{ width: 200 }} />
          <TextField
            name="entry.operations"
            label="Only these operations"
            defaultValue={entry.operations?.join("\n") ?? ""}
            multiline
            maxRows={4}
            placeholder="All"
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 260 }}
          />
          <Typography variant="body2" sx={{ pt: 1 }}>
            {entry.matches === 1 ? "1 component" : `${entry.matches} components`}
            {entry.unmet.length > 0 ? `; never asked there: ${entry.unmet.join(", ")}` : ""}
          </Typography>
          {index >= page.entries.length - from.length ? (
            <PlainButton
              onClick={() => look(from.filter((_, at) => at !== index - (page.entries.length - from.length)))}
            >
              Take out
            </PlainButton>
          ) : null}
        </Stack>
      ))}
      <Box>
        <ComponentPicker
          key={from.join(",")}
          label={page.entries.length ? "Another entry point" : "Entry point"}
          value={null}
          onPick={(picked) => picked && look([...from, picked.id])}
          width={400}
        />
        <Typography variant="body2" color="text.secondary" sx={{ mt: 0.5 }}>
          A web front end, a proxy, or whatever is called first. An asterisk stands for anything; what fits joins by
          itself. Where one front serves several services, name the operations that are for this one, a line each.
        </Typography>
      </Box>
    </Stack>
  );
}
