import DownloadOutlined from "@mui/icons-material/DownloadOutlined";
import LinkOutlined from "@mui/icons-material/LinkOutlined";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useSnackbar } from "notistack";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { metricName } from "#core/catalogue/metrics";
import { readSelection, writeSelection, type Selection } from "#core/telemetry/selection";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/signals.metrics";
import { metricsAsked } from "../shell/metrics.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useMoveWindow, useShell } from "../shell/window";
import { LineAdder } from "../ui/LineAdder";
import { LineBars } from "../ui/LineBars";
import { LineChart } from "../ui/charts/LineChart";
import { LineEditor } from "../ui/LineEditor";
import { LineLegend } from "../ui/charts/LineLegend";
import { OverlayPicker } from "../ui/OverlayPicker";
import { TraceLinks } from "../ui/TraceLinks";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Metrics · Holotaxis" }];

const WIDTH = 420;

export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = metricsAsked(request, context.now());
  const [drawn, measured] = await Promise.all([
    context.ask("metrics", {
      selections: asked.selections,
      fromMs: asked.fromMs,
      toMs: asked.toMs,
      width: WIDTH,
      overlay: asked.overlay,
    }),
    asked.selections.length ? [] : context.ask("measured", {}),
  ]);
  return { ...drawn, ...asked, texts: asked.selections.map(writeSelection), measured };
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ lines, texts, fromMs, toMs, stepMs }: Data): string {
  const series = lines.reduce((sum, line) => sum + line.series, 0);
  if (lines.length)
    return `${lines.length} ${lines.length === 1 ? "line" : "lines"} from ${series.toLocaleString("en-GB")} series over ${spokenDuration(toMs - fromMs)}, a point every ${spokenDuration(stepMs)}.`;
  return texts.length
    ? "Nothing to draw in this window."
    : "Add a line: type a few letters of a metric, host, service, kind or site.";
}

export default function Metrics({ loaderData: page }: Route.ComponentProps) {
  const change = useChangeParams();
  const setSelections = (texts: readonly string[]) =>
    change((next) => {
      next.delete("line");
      for (const text of texts) next.append("line", text);
    });
  const set = (name: string, value: string) => change((next) => applyChanges(next, { [name]: value }));
  const add = (text: string) => setSelections([...page.texts, text]);
  return (
    <>
      <PageHead name="Signals › Metrics" sentence={sentenceOf(page)} actions={page.lines.length ? <Actions /> : null} />
      <Problem>{page.problem}</Problem>
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "flex-start" }}>
        <LineAdder onAdd={add} />
        <OverlayPicker value={page.overlay} />
        <Bound label="Axis from" value={page.lowest} onSet={(value) => set("low", value)} />
        <Bound label="Axis to" value={page.highest} onSet={(value) => set("high", value)} />
        <TextField
          select
          label="Show"
          value={page.view}
          onChange={(event) => set("view", event.target.value === "bars" ? "bars" : "")}
          sx={{ width: 100 }}
        >
          <MenuItem value="lines">lines</MenuItem>
          <MenuItem value="bars">bars</MenuItem>
        </TextField>
      </Stack>
      {page.texts.length ? (
        <ChosenLines page={page} onChange={setSelections} />
      ) : (
        <AvailableMetrics measured={page.measured} onAdd={add} />
      )}
      {page.notes.map((note) => (
        <Typography
          key={note}
          variant="body2"
          role="status"
          sx={{ mb: 1, borderLeft: 3, borderColor: "secondary.main", pl: 1 }}
        >
          {note}
        </Typography>
      ))}
      {page.lines.length ? page.view === "bars" ? <LineBars lines={page.lines} /> : <Drawing page={page} /> : null}
    </>
  );
}

function Actions() {
  const { window: now } = useShell();
  const [params] = useSearchParams();
  const { enqueueSnackbar } = useSnackbar();
  return (
    <>
      <Button
        variant="outlined"
        startIcon={<LinkOutlined />}
        onClick={() => {
          const link = new URL(globalThis.location.href);
          // A link shows the same window whenever it is opened.
          link.searchParams.delete("last");
          link.searchParams.set("from", new Date(now.fromMs).toISOString());
          link.searchParams.set("to", new Date(now.toMs).toISOString());
          navigator.clipboard.writeText(link.href).then(
            () => enqueueSnackbar("The link to this view and window is copied."),
            () => enqueueSnackbar("The browser does not allow copying; take the address from its bar."),
          );
        }}
      >
        Copy link
      </Button>
      <Button
        variant="outlined"
        startIcon={<DownloadOutlined />}
        component="a"
        href={`/signals/metrics.csv?${params}`}
        download
      >
        CSV
      </Button>
    </>
  );
}

/** The selections as chips: one is edited by opening it, and taken away by its cross. */
function ChosenLines({ page, onChange }: { page: Data; onChange: (texts: readonly string[]) => void }) {
  const [edited, setEdited] = useState<number | null>(null);
  const chips = useRef<(HTMLElement | null)[]>([]);
  const selection = edited === null ? undefined : readSelection(page.texts[edited] ?? "");
  return (
    <>
      <Stack
        component="ul"
        direction="row"
        aria-label="Lines"
        sx={{ gap: 0.75, flexWrap: "wrap", p: 0, m: 0, mb: 1, listStyle: "none" }}
      >
        {page.selections.map((selection, index) => (
          <li key={`${page.texts[index]}${index}`}>
            <Chip
              ref={(element) => {
                chips.current[index] = element;
              }}
              label={spoken(selection, page.lines.find((line) => line.selection === index)?.label)}
              onClick={() => setEdited(index)}
              onDelete={() => onChange(page.texts.filter((_, other) => other !== index))}
              size="small"
              variant="outlined"
              sx={{ borderRadius: 1, maxWidth: 560 }}
            />
          </li>
        ))}
      </Stack>
      {edited !== null && selection ? (
        <LineEditor
          key={page.texts[edited]}
          anchor={chips.current[edited] ?? null}
          selection={selection}
          onClose={() => setEdited(null)}
          onChange={(changed) => {
            onChange(page.texts.map((text, index) => (index === edited ? writeSelection(changed) : text)));
            setEdited(null);
          }}
        />
      ) : null}
    </>
  );
}

/** What is measured at all, to begin with. */
function AvailableMetrics({ measured, onAdd: add }: { measured: Data["measured"]; onAdd: (text: string) => void }) {
  return (
    <Section title="Available metrics">
      <Stack component="ul" direction="row" sx={{ gap: 1, flexWrap: "wrap", p: 0, m: 0, listStyle: "none" }}>
        {measured.map((one) => (
          <li key={one.metric}>
            <Button
              variant="outlined"
              color="inherit"
              onClick={() =>
                add(
                  one.count > 1
                    ? writeSelection({ metric: one.metric, pick: "highest", count: 10 })
                    : writeSelection({ metric: one.metric }),
                )
              }
            >
              {metricName(one.metric)}
              <Typography component="span" variant="caption" sx={{ color: "text.secondary", ml: 0.75 }}>
                {one.count}
              </Typography>
            </Button>
          </li>
        ))}
      </Stack>
      <Typography variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
        Select a metric to chart its ten highest series in this window; the number is how many series there are.
      </Typography>
    </Section>
  );
}

/** The lines, the traces of their exemplars, and the legend; pointing at one lifts it in both. */
function Drawing({ page }: { page: Data }) {
  const { window: now } = useShell();
  const move = useMoveWindow();
  const [lifted, setLifted] = useState<string | null>(null);
  const [pointMs, setPointMs] = useState<number | null>(null);
  return (
    <>
      <LineChart
        lines={page.lines}
        fromMs={page.fromMs}
        toMs={page.toMs}
        stepMs={page.stepMs}
        height={330}
        lowest={page.lowest}
        highest={page.highest}
        lifted={lifted}
        onLift={setLifted}
        onPoint={setPointMs}
        onZoom={move.fix}
      />
      {page.lines.map((line) => (
        <TraceLinks key={line.key} exemplars={line.exemplars} unit={line.unit} nowMs={now.nowMs} />
      ))}
      <LineLegend lines={page.lines} stepMs={page.stepMs} pointMs={pointMs} lifted={lifted} onLift={setLifted} />
    </>
  );
}

/** What a chip says: a single series by its name, a group by what was chosen. */
function spoken(selection: Selection, label: string | undefined): string {
  if (selection.series !== undefined) return label ?? `series ${selection.series}`;
  const what = `${metricName(selection.metric ?? "")}${selection.transform === "rate" ? " a second" : selection.transform === "change" ? ", its change" : ""}`;
  const where =
    [selection.kind, selection.site, selection.service, selection.instance].filter(Boolean).join(", ") || "everywhere";
  const how = selection.aggregate
    ? `${selection.aggregate}${selection.by ? ` by ${selection.by}` : " of all"}`
    : "each";
  const best = selection.pick ? `, ${selection.count ?? 10} ${selection.pick} by ${selection.rank ?? "mean"}` : "";
  return `${what}: ${where}, ${how}${best}`;
}

/** One bound of the left axis; empty is automatic. */
function Bound({ label, value, onSet }: { label: string; value: number | null; onSet: (value: string) => void }) {
  const [typed, setTyped] = useState(value === null ? "" : String(value));
  const wrong = typed.trim() !== "" && !Number.isFinite(Number(typed));
  const commit = () => {
    if (!wrong && typed.trim() !== (value === null ? "" : String(value))) onSet(typed.trim());
  };
  return (
    <TextField
      label={label}
      value={typed}
      placeholder="auto"
      error={wrong}
      {...(wrong ? { helperText: "a number" } : {})}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => event.key === "Enter" && commit()}
      sx={{ width: 92 }}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}
