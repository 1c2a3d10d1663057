import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useRef, useState } from "react";
import { guessMapping, mapCsvRows, type CsvMapping } from "#core/telemetry/csv-map";
import { useShell } from "../shell/window";
import { ComponentPicker, type PickedComponent } from "../ui/ComponentPicker";
import { importFile, previewOf, sendSeries, type ChosenFile, type ImportProgress } from "../ui/import/csv-file";
import { FirstRows } from "../ui/import/FirstRows";
import { ImportState, Reasons } from "../ui/import/ImportState";
import { Mapping } from "../ui/import/Mapping";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta = () => [{ title: "Import · Holotaxis" }];

const whole = (count: number) => count.toLocaleString("en-GB");

/** The file that is chosen, how its columns are read, and how far its import is. */
function useImport() {
  const { window: now } = useShell();
  const [chosen, setChosen] = useState<ChosenFile | null>(null);
  const [mapping, setMapping] = useState<CsvMapping | null>(null);
  const [component, setComponent] = useState<PickedComponent | null>(null);
  const [progress, setProgress] = useState<ImportProgress | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const stopped = useRef(false);

  async function open(file: File | undefined): Promise<void> {
    setProblem(null);
    setProgress(null);
    setChosen(null);
    if (!file) return;
    try {
      const read = await previewOf(file);
      const guess = guessMapping(read.head, read.rows);
      setChosen(read);
      setMapping(guess ?? { form: "wide", time: 0, values: [], unit: "1" });
      if (!guess) setProblem("No column looks like timestamps with numbers beside it. Map the columns below.");
    } catch (error) {
      setProblem(error instanceof Error ? error.message : "The file cannot be read.");
    }
  }

  function start(): void {
    if (!chosen || !mapping) return;
    setProblem(null);
    stopped.current = false;
    importFile({
      file: chosen.file,
      mapping,
      nowMs: now.nowMs,
      send: (series) => sendSeries(chosen.file.name, component?.id ?? null, series),
      isStopped: () => stopped.current,
      onProgress: setProgress,
      onProblem: setProblem,
    });
  }

  return {
    chosen,
    mapping,
    setMapping,
    component,
    setComponent,
    progress,
    problem,
    busy: progress !== null && !progress.done,
    /** What the first rows give with the mapping as it is. */
    shown: chosen && mapping ? mapCsvRows(chosen.rows, mapping, 2, now.nowMs) : null,
    open,
    start,
    stop: () => {
      stopped.current = true;
    },
  };
}

type ImportWork = ReturnType<typeof useImport>;

function sentenceOf({ progress, busy, shown, chosen }: ImportWork): string {
  if (progress?.done) {
    const { skipped } = progress;
    return `${whole(progress.samples)} samples were imported${skipped ? `, ${whole(skipped)} ${skipped === 1 ? "row" : "rows"} skipped` : ""}.`;
  }
  if (busy) return `${whole(progress?.samples ?? 0)} samples imported so far.`;
  if (!shown) return "Import measurements from a CSV file: choose it, check its contents, map its columns.";
  if (shown.samples === 0) return "Nothing can be imported with this mapping.";
  return `The first ${chosen?.rows.length ?? 0} rows give ${shown.samples} samples of ${shown.series.length} series. Nothing has been imported yet.`;
}

export default function Import() {
  const work = useImport();
  const { chosen, mapping, progress, shown } = work;
  return (
    <>
      <PageHead
        name="Signals › Import"
        sentence={sentenceOf(work)}
        actions={<FileChoice busy={work.busy} onChoose={(file) => void work.open(file)} />}
      />
      <Problem>{work.problem}</Problem>
      {progress ? (
        <ImportState progress={progress} bytes={chosen?.file.size ?? 1} series={shown?.series ?? []} />
      ) : null}
      {chosen && mapping ? (
        <Stack sx={{ gap: 1.5 }}>
          <Section title="Column mapping">
            <Mapping head={chosen.head} mapping={mapping} onChange={work.setMapping} />
            <Actions work={work} mapping={mapping} />
          </Section>
          <Section title={`The first ${chosen.rows.length} rows of ${chosen.file.name}`} pad={false}>
            <FirstRows chosen={chosen} />
          </Section>
          {shown?.reasons.length ? (
            <Section title="Of these, skipped">
              <Reasons reasons={shown.reasons} />
            </Section>
          ) : null}
        </Stack>
      ) : null}
    </>
  );
}

function FileChoice({ busy, onChoose }: { busy: boolean; onChoose: (file: File | undefined) => void }) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={picker}
        type="file"
        accept=".csv,.tsv,.txt,text/csv"
        hidden
        aria-label="CSV file"
        onChange={(event) => onChoose(event.target.files?.[0])}
      />
      <Button variant="outlined" disabled={busy} onClick={() => picker.current?.click()}>
        Choose a file
      </Button>
    </>
  );
}

function Actions({ work, mapping }: { work: ImportWork; mapping: CsvMapping }) {
  const { busy, shown } = work;
  return (
    <Stack direction="row" sx={{ gap: 1.5, mt: 1.5, alignItems: "center" }}>
      <TextField
        label="Unit"
        value={mapping.unit}
        onChange={(event) => work.setMapping({ ...mapping, unit: event.target.value.slice(0, 40) })}
        sx={{ width: 110 }}
      />
      <ComponentPicker label="Component (optional)" value={work.component} onPick={work.setComponent} width={340} />
      <Box sx={{ flex: 1 }} />
      {busy ? (
        <Button variant="outlined" color="error" onClick={work.stop}>
          Stop
        </Button>
      ) : null}
      <RightButton
        right="configure"
        variant="contained"
        disabled={busy || !shown || shown.samples === 0 || !mapping.unit.trim()}
        onClick={work.start}
      >
        Import
      </RightButton>
    </Stack>
  );
}
