import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState, type ReactNode } from "react";
import { z } from "zod";
import { LOG_LEVELS } from "#core/telemetry/log-levels";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/signals.logs";
import { applyChanges, useChangeParams } from "../shell/params";
import { useMoveWindow } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { LogHistogram } from "../ui/LogHistogram";
import { LogPatterns } from "../ui/LogPatterns";
import { LogRecords } from "../ui/LogRecords";
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

const whole = (count: number) => count.toLocaleString("en-GB");

export default function Logs({ loaderData: page }: Route.ComponentProps) {
  const move = useMoveWindow();
  const { asked } = page;
  const [typed, setTyped] = useState(asked.q);
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((params) => {
      if (!("before" in changes)) params.delete("before");
      applyChanges(params, changes);
    }, replace);
  useEffect(() => {
    if (typed === asked.q) return;
    const timer = setTimeout(() => change({ q: typed }, true), 250);
    return () => clearTimeout(timer);
  });
  const loud = page.levels.filter((one) => one.least >= 17).reduce((sum, one) => sum + one.count, 0);
  const sentence =
    page.kept === 0
      ? "No log record has arrived yet."
      : `${page.more ? "More than " : ""}${whole(page.total)} ${page.total === 1 ? "record" : "records"} in ${spokenDuration(page.toMs - page.fromMs)}${page.total ? `, ${whole(loud)} of them errors; ${page.patternCount} ${page.patternCount === 1 ? "pattern" : "patterns"}, ${page.newPatterns} new this week` : ""}.`;
  return (
    <>
      <PageHead name="Signals › Logs" sentence={sentence} />
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center" }}>
        <TextField
          label="Search"
          type="search"
          placeholder='words, "several words", -without'
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          sx={{ flex: 1 }}
          slotProps={{ htmlInput: { maxLength: 200 } }}
        />
        <TextField
          select
          label="Minimum severity"
          value={LOG_LEVELS.find((one) => asked.level >= one.least)?.least ?? 0}
          onChange={(event) => change({ level: Number(event.target.value) > 0 ? String(event.target.value) : "" })}
          sx={{ width: 140 }}
        >
          {LOG_LEVELS.map(({ level, least }) => (
            <MenuItem key={level} value={least}>
              {least === 0 ? "all" : level}
            </MenuItem>
          ))}
        </TextField>
        <FormControlLabel
          sx={{ ml: 0.5 }}
          control={
            <Switch
              size="small"
              checked={asked.new === "1"}
              onChange={(_event, on) => change({ new: on ? "1" : "" })}
            />
          }
          label="only new patterns"
          slotProps={{ typography: { variant: "body2" } }}
        />
        <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
          {(["records", "patterns"] as const).map((view) => (
            <Button
              key={view}
              variant={asked.view === view ? "outlined" : "text"}
              color="inherit"
              aria-pressed={asked.view === view}
              onClick={() => change({ view: view === "records" ? "" : view })}
            >
              {view}
            </Button>
          ))}
        </Stack>
      </Stack>
      {asked.component !== null || asked.service || asked.pattern !== null || asked.trace ? (
        <Stack direction="row" aria-label="Filters" sx={{ gap: 0.75, mb: 1, flexWrap: "wrap" }}>
          {asked.component === null ? null : (
            <Chip
              size="small"
              variant="outlined"
              sx={{ borderRadius: 1 }}
              label={`of ${page.component ?? "a component that is not known"}`}
              onDelete={() => change({ component: "" })}
            />
          )}
          {asked.service ? (
            <Chip
              size="small"
              variant="outlined"
              sx={{ borderRadius: 1 }}
              label={`members of ${page.service ?? asked.service}`}
              onDelete={() => change({ service: "" })}
            />
          ) : null}
          {asked.pattern === null ? null : (
            <Chip
              size="small"
              variant="outlined"
              sx={{ borderRadius: 1, maxWidth: 700 }}
              label={`pattern: ${page.pattern ?? "?"}`}
              onDelete={() => change({ pattern: "" })}
            />
          )}
          {asked.trace ? (
            <Chip
              size="small"
              variant="outlined"
              sx={{ borderRadius: 1 }}
              label={`trace ${asked.trace.slice(0, 12)}…`}
              onDelete={() => change({ trace: "" })}
            />
          ) : null}
        </Stack>
      ) : null}
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

function Facets({
  page,
  onChange,
}: {
  page: Route.ComponentProps["loaderData"];
  onChange: (changes: Record<string, string>) => void;
}) {
  return (
    <Stack component="nav" aria-label="Facets" sx={{ gap: 1.5 }}>
      <Facet title="Severity">
        {page.levels
          .filter((one) => one.count > 0)
          .map((one) => (
            <FacetRow
              key={one.level}
              label={one.level}
              count={one.count}
              {...(one.least > 0 ? { onClick: () => onChange({ level: String(one.least) }) } : {})}
            />
          ))}
      </Facet>
      <Facet title={`Source ${page.componentCount}`}>
        {page.components.map((one) => (
          <FacetRow
            key={one.name}
            label={one.name}
            count={one.count}
            {...(one.componentId === null ? {} : { onClick: () => onChange({ component: String(one.componentId) }) })}
          />
        ))}
      </Facet>
    </Stack>
  );
}

function Facet({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div>
      <h2 className="hx-facet-head">{title}</h2>
      <ul className="hx-plain-list">{children}</ul>
    </div>
  );
}

function FacetRow({ label, count, onClick }: { label: string; count: number; onClick?: () => void }) {
  return (
    <li className="hx-facet">
      {onClick ? (
        <button type="button" className="hx-word hx-clip" onClick={onClick} title={label}>
          {label}
        </button>
      ) : (
        <span className="hx-clip">{label}</span>
      )}
      <span className="hx-quiet">{whole(count)}</span>
    </li>
  );
}
