import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import type { CsvMapping } from "#core/telemetry/csv-map";

type Wide = Extract<CsvMapping, { form: "wide" }>;

/** Name of a metric made of the head of a column. */
const metricOf = (name: string, column: number) =>
  name
    .trim()
    .toLowerCase()
    .replaceAll(/[^a-z0-9_.]+/g, "_") || `column_${column + 1}`;

/** The columns of a file with one series each: which are imported, and under which name. */
export function WideColumns({
  names,
  mapping,
  onChange,
}: {
  names: readonly string[];
  mapping: Wide;
  onChange: (mapping: Wide) => void;
}) {
  return (
    <Box
      component="ul"
      aria-label="Columns to import"
      className="hx-plain-list"
      sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(360px, 1fr))", gap: 0.5 }}
    >
      {names.map((name, column) =>
        column === mapping.time ? null : (
          <WideColumn
            key={column}
            name={name}
            metric={mapping.values.find((one) => one.column === column)?.metric}
            onChange={(metric) => {
              const others = mapping.values.filter((one) => one.column !== column);
              const values = metric === undefined ? others : [...others, { column, metric }];
              onChange({ ...mapping, values: values.sort((a, b) => a.column - b.column) });
            }}
            suggested={metricOf(name, column)}
          />
        ),
      )}
    </Box>
  );
}

function WideColumn({
  name,
  metric,
  suggested,
  onChange,
}: {
  name: string;
  /** Undefined when it is not imported. */
  metric: string | undefined;
  suggested: string;
  onChange: (metric: string | undefined) => void;
}) {
  return (
    <Stack component="li" direction="row" sx={{ alignItems: "center", gap: 0.5 }}>
      <Checkbox
        size="small"
        checked={metric !== undefined}
        onChange={(_event, on) => onChange(on ? suggested : undefined)}
        slotProps={{ input: { "aria-label": `Import ${name}` } }}
      />
      <span className="hx-clip" style={{ width: 130, fontSize: "0.84rem" }}>
        {name}
      </span>
      {metric === undefined ? null : (
        <TextField
          label="stored as"
          value={metric}
          onChange={(event) => onChange(event.target.value.slice(0, 200))}
          sx={{ flex: 1 }}
        />
      )}
    </Stack>
  );
}
