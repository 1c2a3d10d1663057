import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import Papa from "papaparse";
import { useRef, useState } from "react";
import { guessMapping, mapCsvRows, type CsvMapping, type CsvSeries } from "#core/telemetry/csv-map";
import { useShell } from "../shell/window";
import { ComponentPicker, type PickedComponent } from "../ui/ComponentPicker";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta = () => [{ title: "Import · Holotaxis" }];

const PREVIEW_ROWS = 12;
/** Samples sent at once; the server takes no more. */
const PART = 4000;

interface Chosen {
  file: File;
  head: string[];
  rows: string[][];
}

interface Progress {
  /** Bytes of the file read. */
  read: number;
  samples: number;
  skipped: number;
  reasons: string[];
  done: boolean;
}

/** Reads the head and the first rows of a file, whatever its size. */
function preview(file: File): Promise<Chosen> {
  return new Promise((resolve, reject) => {
    // The first part of a large file is enough; a row cut off at its end is not shown.
    Papa.parse<string[]>(file.slice(0, 262_144) as File, {
      preview: PREVIEW_ROWS + 1,
      skipEmptyLines: true,
      complete: ({ data }) => {
        const [head, ...rows] = data;
        if (!head || rows.length === 0) reject(new Error("The file has no row below its head."));
        else resolve({ file, head, rows });
      },
      error: (error) => reject(new Error(`The file cannot be read: ${error.message}.`)),
    });
  });
}

export default function Import() {
  const { window: now } = useShell();
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [mapping, setMapping] = useState<CsvMapping | null>(null);
  const [component, setComponent] = useState<PickedComponent | null>(null);
  const [progress, setProgress] = useState<Progress | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const stop = useRef(false);
  const picker = useRef<HTMLInputElement>(null);
  const busy = progress !== null && !progress.done;

  async function open(file: File | undefined): Promise<void> {
    setProblem(null);
    setProgress(null);
    setChosen(null);
    if (!file) return;
    try {
      const read = await preview(file);
      const guess = guessMapping(read.head, read.rows);
      setChosen(read);
      setMapping(guess ?? { form: "wide", time: 0, values: [], unit: "1" });
      if (!guess) setProblem("No column looks like timestamps with numbers beside it. Map the columns below.");
    } catch (error) {
      setProblem(error instanceof Error ? error.message : "The file cannot be read.");
    }
  }

  async function send(series: readonly CsvSeries[]): Promise<number> {
    const response = await fetch("/signals/import/rows", {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({
        file: chosen?.file.name.slice(0, 120) || "file",
        componentId: component?.id ?? null,
        series,
      }),
    });
    const answer = (await response
      .json()
      .catch(() => ({ ok: false, problem: `The server answered ${response.status}. Try again.` }))) as
      | { ok: true; samples: number; refused: string[] }
      | { ok: false; problem: string };
    if (!answer.ok) throw new Error(answer.problem);
    if (answer.refused.length) throw new Error(answer.refused[0]);
    return answer.samples;
  }

  function take(): void {
    if (!chosen || !mapping) return;
    setProblem(null);
    stop.current = false;
    const state: Progress = { read: 0, samples: 0, skipped: 0, reasons: [], done: false };
    setProgress({ ...state });
    let row = 1;
    // The file is read part by part, and each part is safe on the server before the next is read.
    Papa.parse<string[]>(chosen.file, {
      chunkSize: 131_072,
      skipEmptyLines: true,
      chunk: ({ data, meta: { cursor } }, parser) => {
        parser.pause();
        const rows = row === 1 ? data.slice(1) : data;
        const mapped = mapCsvRows(rows, mapping, row === 1 ? 2 : row + 1, now.nowMs);
        row += data.length;
        state.skipped += mapped.skipped;
        state.reasons = [...state.reasons, ...mapped.reasons].slice(0, 5);
        (async () => {
          for (const part of parts(mapped.series)) state.samples += await send(part);
          state.read = cursor;
          setProgress({ ...state });
          if (stop.current) parser.abort();
          else parser.resume();
        })().catch((error: unknown) => {
          setProblem(error instanceof Error ? error.message : "Something went wrong.");
          parser.abort();
        });
      },
      complete: () => setProgress({ ...state, done: true }),
      error: (error) => {
        setProblem(`The file cannot be read: ${error.message}.`);
        setProgress({ ...state, done: true });
      },
    });
  }

  const shown = chosen && mapping ? mapCsvRows(chosen.rows, mapping, 2, now.nowMs) : null;
  const sentence = progress?.done
    ? `${progress.samples.toLocaleString("en-GB")} samples were imported${progress.skipped ? `, ${progress.skipped.toLocaleString("en-GB")} ${progress.skipped === 1 ? "row" : "rows"} skipped` : ""}.`
    : busy
      ? `${progress.samples.toLocaleString("en-GB")} samples imported so far.`
      : shown
        ? shown.samples === 0
          ? "Nothing can be imported with this mapping."
          : `The first ${chosen?.rows.length ?? 0} rows give ${shown.samples} samples of ${shown.series.length} series. Nothing has been imported yet.`
        : "Import measurements from a CSV file: choose it, check its contents, map its columns.";
  return (
    <>
      <PageHead
        name="Signals › Import"
        sentence={sentence}
        actions={
          <>
            <input
              ref={picker}
              type="file"
              accept=".csv,.tsv,.txt,text/csv"
              hidden
              aria-label="CSV file"
              onChange={(event) => void open(event.target.files?.[0])}
            />
            <Button variant="outlined" disabled={busy} onClick={() => picker.current?.click()}>
              Choose a file
            </Button>
          </>
        }
      />
      <Problem>{problem}</Problem>
      {progress ? (
        <Box sx={{ mb: 1.5 }}>
          {progress.done ? null : (
            <LinearProgress
              variant="determinate"
              value={Math.min(100, (progress.read / Math.max(1, chosen?.file.size ?? 1)) * 100)}
              aria-label="File read"
              sx={{ mb: 1 }}
            />
          )}
          {progress.reasons.map((reason) => (
            <Typography key={reason} variant="body2">
              {reason}
            </Typography>
          ))}
          {progress.done && progress.samples > 0 && shown ? (
            <Typography variant="body2">
              <KeepLink
                to={`/signals/metrics?last=P7D&${shown.series
                  .slice(0, 6)
                  .map((one) => `line=metric~${encodeURIComponent(one.metric)}`)
                  .join("&")}`}
              >
                Show in Metrics
              </KeepLink>
            </Typography>
          ) : null}
        </Box>
      ) : null}
      {chosen && mapping ? (
        <Stack sx={{ gap: 1.5 }}>
          <Section title="Column mapping">
            <Mapping head={chosen.head} mapping={mapping} onChange={setMapping} />
            <Stack direction="row" sx={{ gap: 1.5, mt: 1.5, alignItems: "center" }}>
              <TextField
                label="Unit"
                value={mapping.unit}
                onChange={(event) => setMapping({ ...mapping, unit: event.target.value.slice(0, 40) })}
                sx={{ width: 110 }}
              />
              <ComponentPicker label="Component (optional)" value={component} onPick={setComponent} width={340} />
              <Box sx={{ flex: 1 }} />
              {busy ? (
                <Button variant="outlined" color="error" onClick={() => (stop.current = true)}>
                  Stop
                </Button>
              ) : null}
              <Button
                variant="contained"
                disabled={busy || !shown || shown.samples === 0 || !mapping.unit.trim()}
                onClick={take}
              >
                Import
              </Button>
            </Stack>
          </Section>
          <Section title={`The first ${chosen.rows.length} rows of ${chosen.file.name}`} pad={false}>
            <Box sx={{ overflow: "auto", maxHeight: 340 }} tabIndex={0} role="region" aria-label="First rows">
              <PlainTable pinned>
                <thead>
                  <tr>
                    {chosen.head.map((name, column) => (
                      <th key={column} scope="col">
                        {name || `column ${column + 1}`}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {chosen.rows.map((row, index) => (
                    <tr key={index}>
                      {chosen.head.map((_, column) => (
                        <td key={column} className="line">
                          {row[column] ?? ""}
                        </td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              </PlainTable>
            </Box>
          </Section>
          {shown?.reasons.length ? (
            <Section title="Of these, skipped">
              {shown.reasons.map((reason) => (
                <Typography key={reason} variant="body2">
                  {reason}
                </Typography>
              ))}
            </Section>
          ) : null}
        </Stack>
      ) : null}
    </>
  );
}

/** Series cut into parts that the server takes at once. */
function parts(series: readonly CsvSeries[]): CsvSeries[][] {
  const result: CsvSeries[][] = [];
  let part: CsvSeries[] = [];
  let room = PART;
  for (const one of series)
    for (let from = 0; from < one.times.length;) {
      const count = Math.min(room, one.times.length - from);
      part.push({ ...one, times: one.times.slice(from, from + count), values: one.values.slice(from, from + count) });
      from += count;
      room -= count;
      if (room === 0 || part.length >= 400) {
        result.push(part);
        part = [];
        room = PART;
      }
    }
  if (part.length) result.push(part);
  return result;
}

function Mapping({
  head,
  mapping,
  onChange,
}: {
  head: readonly string[];
  mapping: CsvMapping;
  onChange: (mapping: CsvMapping) => void;
}) {
  const names = head.map((name, column) => name || `column ${column + 1}`);
  const column = (label: string, value: number | "", set: (value: number) => void, none?: string) => (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => set(Number(event.target.value))}
      sx={{ width: 190 }}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      {none ? <MenuItem value={-1}>{none}</MenuItem> : null}
      {names.map((name, index) => (
        <MenuItem key={index} value={index}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="Form"
          value={mapping.form}
          onChange={(event) =>
            onChange(
              event.target.value === "long"
                ? {
                    form: "long",
                    time: mapping.time,
                    metric: Math.min(1, head.length - 1),
                    value: head.length - 1,
                    instance: null,
                    unit: mapping.unit,
                  }
                : { form: "wide", time: mapping.time, values: [], unit: mapping.unit },
            )
          }
          sx={{ width: 230 }}
        >
          <MenuItem value="wide">one column per series</MenuItem>
          <MenuItem value="long">one row per sample</MenuItem>
        </TextField>
        {column("Timestamps", mapping.time, (time) => onChange({ ...mapping, time }))}
        {mapping.form === "long" ? (
          <>
            {column("Metric name", mapping.metric, (metric) => onChange({ ...mapping, metric }))}
            {column("Value", mapping.value, (value) => onChange({ ...mapping, value }))}
            {column(
              "Instance",
              mapping.instance ?? -1,
              (instance) => onChange({ ...mapping, instance: instance < 0 ? null : instance }),
              "none",
            )}
          </>
        ) : null}
      </Stack>
      {mapping.form === "wide" ? (
        <Box
          component="ul"
          aria-label="Columns to import"
          sx={{
            m: 0,
            p: 0,
            listStyle: "none",
            display: "grid",
            gridTemplateColumns: "repeat(auto-fill, minmax(360px, 1fr))",
            gap: 0.5,
          }}
        >
          {names.map((name, index) => {
            if (index === mapping.time) return null;
            const taken = mapping.values.find((one) => one.column === index);
            return (
              <Stack component="li" direction="row" key={index} sx={{ alignItems: "center", gap: 0.5 }}>
                <Checkbox
                  size="small"
                  checked={taken !== undefined}
                  onChange={(_event, on) =>
                    onChange({
                      ...mapping,
                      values: on
                        ? [
                            ...mapping.values,
                            {
                              column: index,
                              metric:
                                name
                                  .trim()
                                  .toLowerCase()
                                  .replaceAll(/[^a-z0-9_.]+/g, "_") || `column_${index + 1}`,
                            },
                          ]
                        : mapping.values.filter((one) => one.column !== index),
                    })
                  }
                  slotProps={{ input: { "aria-label": `Remove ${name} in` } }}
                />
                <Box
                  sx={{
                    width: 130,
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                    whiteSpace: "nowrap",
                    fontSize: "0.84rem",
                  }}
                >
                  {name}
                </Box>
                {taken ? (
                  <TextField
                    label="stored as"
                    value={taken.metric}
                    onChange={(event) =>
                      onChange({
                        ...mapping,
                        values: mapping.values.map((one) =>
                          one.column === index ? { ...one, metric: event.target.value.slice(0, 200) } : one,
                        ),
                      })
                    }
                    sx={{ flex: 1 }}
                  />
                ) : null}
              </Stack>
            );
          })}
        </Box>
      ) : null}
    </Stack>
  );
}
