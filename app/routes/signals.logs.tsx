import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { z } from "zod";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/signals.logs";
import { applyChanges, useChangeParams } from "../shell/params";
import { useMoveWindow } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { Facets } from "../ui/logs/Facets";
import { Filters } from "../ui/logs/Filters";
import { LogHistogram } from "../ui/logs/LogHistogram";
import { LogPatterns } from "../ui/logs/LogPatterns";
import { LogRecords } from "../ui/logs/LogRecords";
import { SearchBar } from "../ui/logs/SearchBar";
import { whole, type LogsData } from "../ui/logs/page";
import { Empty, PageHead } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Logs · Holotaxis" }];

const id = z.coerce.number().int().min(1).nullable().catch(null).default(null);
const schema = z.object({
  q: z.string().max(200).catch("").default(""),
  level: z.coerce.number().int().min(0).max(24).catch(0).default(0),
  component: id,
  service: z.string().max(60).catch("").default(""),
  pattern: id,
  trace: z
    .string()
    .regex(/^[0-9a-f]{32}$/)
    .catch("")
    .default(""),
  new: z.enum(["1", ""]).catch("").default(""),
  view: z.enum(["records", "patterns"]).catch("records").default("records"),
  before: id,
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, toMs } = windowOf(request, context.now());
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const found = await context.ask("logs", {
    fromMs,
    toMs,
    text: asked.q,
    leastSeverity: asked.level,
    component: asked.component,
    service: asked.service,
    pattern: asked.pattern,
    traceId: asked.trace,
    onlyNew: asked.new === "1",
    before: asked.before,
  });
  return { ...found, asked, fromMs, toMs };
}

/** OpenTelemetry severity number from which a record is an error. */
const ERROR = 17;

function sentenceOf({ kept, levels, more, total, fromMs, toMs, patternCount, newPatterns }: LogsData): string {
  if (kept === 0) return "No log record has arrived yet.";
  const loud = levels.filter((one) => one.least >= ERROR).reduce((sum, one) => sum + one.count, 0);
  const counted = `${more ? "More than " : ""}${whole(total)} ${total === 1 ? "record" : "records"} in ${spokenDuration(toMs - fromMs)}`;
  return total
    ? `${counted}, ${whole(loud)} of them errors; ${patternCount} ${patternCount === 1 ? "pattern" : "patterns"}, ${newPatterns} new this week.`
    : `${counted}.`;
}

export default function Logs({ loaderData: page }: Route.ComponentProps) {
  const move = useMoveWindow();
  const { asked } = page;
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((params) => {
      if (!("before" in changes)) params.delete("before");
      applyChanges(params, changes);
    }, replace);
  return (
    <>
      <PageHead name="Signals › Logs" sentence={sentenceOf(page)} />
      <SearchBar page={page} onChange={change} />
      <Filters page={page} onChange={change} />
      <LogHistogram bars={page.bars} stepMs={page.stepMs} fromMs={page.fromMs} toMs={page.toMs} onZoom={move.fix} />
      {page.cut ? (
        <Typography variant="body2" role="status" sx={{ mb: 1, borderLeft: 3, borderColor: "secondary.main", pl: 1 }}>
          The search stopped after 200,000 records. Narrow the window, or add a word.
        </Typography>
      ) : null}
      <Box sx={{ display: "grid", gridTemplateColumns: "190px minmax(0, 1fr)", gap: 1.5, alignItems: "start" }}>
        <Facets page={page} onChange={change} />
        {page.total === 0 && page.rows.length === 0 ? (
          <Empty>
            {page.kept === 0
              ? "Send OTLP or syslog to this machine; docs/operating.md shows how."
              : `No matches in this window. Widen it on the ribbon, or remove a word.`}
          </Empty>
        ) : asked.view === "patterns" ? (
          <LogPatterns patterns={page.patterns} onOpen={(pattern) => change({ pattern: String(pattern), view: "" })} />
        ) : (
          <LogRecords
            rows={page.rows}
            next={page.next}
            more={asked.before !== null}
            onPage={(before) => change({ before: before === null ? "" : String(before) })}
            onPattern={(pattern) => change({ pattern: String(pattern) })}
          />
        )}
      </Box>
    </>
  );
}
