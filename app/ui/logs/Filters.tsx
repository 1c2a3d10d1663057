import Chip from "@mui/material/Chip";
import Stack from "@mui/material/Stack";
import type { Change, LogsData } from "./page";

/** What else narrows the records, each to be taken away. */
export function Filters({ page, onChange: change }: { page: LogsData; onChange: Change }) {
  const { asked } = page;
  const narrowed: [name: string, label: string | undefined][] = [
    ["component", asked.component === null ? undefined : `of ${page.component ?? "a component that is not known"}`],
    ["service", asked.service ? `members of ${page.service ?? asked.service}` : undefined],
    ["pattern", asked.pattern === null ? undefined : `pattern: ${page.pattern ?? "?"}`],
    ["trace", asked.trace ? `trace ${asked.trace.slice(0, 12)}…` : undefined],
  ];
  if (narrowed.every(([, label]) => label === undefined)) return null;
  return (
    <Stack direction="row" aria-label="Filters" sx={{ gap: 0.75, mb: 1, flexWrap: "wrap" }}>
      {narrowed.map(([name, label]) =>
        label === undefined ? null : (
          <Chip
            key={name}
            size="small"
            variant="outlined"
            sx={{ borderRadius: 1, maxWidth: 700 }}
            label={label}
            onDelete={() => change({ [name]: "" })}
          />
        ),
      )}
    </Stack>
  );
}
