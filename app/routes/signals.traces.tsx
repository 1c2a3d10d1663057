import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Link as RouterLink } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/signals.traces";
import { applyChanges, useChangeParams } from "../shell/params";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { DurationBars } from "../ui/DurationBars";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section, WordButton } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Traces · Holotaxis" }];

const milliseconds = z.coerce.number().min(0).max(1e9).nullable().catch(null).default(null);
const schema = z.object({
  q: z.string().max(100).catch("").default(""),
  all: z.enum(["1", ""]).catch("").default(""),
  operation: z.coerce.number().int().min(1).nullable().catch(null).default(null),
  least: milliseconds,
  most: milliseconds,
  failed: z.enum(["1", ""]).catch("").default(""),
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, toMs } = windowOf(request, context.now());
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const found = await context.ask("traces", {
    fromMs,
    toMs,
    text: asked.q,
    answered: asked.all !== "1",
    operation: asked.operation,
    least: asked.least,
    most: asked.most,
    failedOnly: asked.failed === "1",
  });
  return { ...found, asked };
}

const whole = (count: number) => count.toLocaleString("en-GB");
const percent = (part: number, all: number) =>
  part === 0 ? "none" : `${((part / all) * 100).toFixed(part / all < 0.01 ? 2 : 1)} %`;

export default function Traces({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const { asked, chosen } = page;
  const [typed, setTyped] = useState(asked.q);
  const [compared, setCompared] = useState<string[]>([]);
  /** The list as it was when the first was ticked: while some are, it does not move under the hand. */
  const [still, setStill] = useState<{ asked: string; traces: typeof page.traces } | null>(null);
  const askedText = JSON.stringify([asked.operation, asked.least, asked.most, asked.failed]);
  const standsStill = compared.length > 0 && still?.asked === askedText;
  const traces = standsStill ? still.traces : page.traces;
  const tick = (traceId: string, on: boolean) => {
    if (on && !standsStill) setStill({ asked: askedText, traces: page.traces });
    setCompared(on ? [...compared.slice(-1), traceId] : compared.filter((one) => one !== traceId));
  };
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((params) => applyChanges(params, changes), replace);
  useEffect(() => {
    if (typed === asked.q) return;
    const timer = setTimeout(() => change({ q: typed }, true), 250);
    return () => clearTimeout(timer);
  });
  const sentence =
    page.kept === 0
      ? "No span has arrived yet."
      : `${whole(page.calls)} calls of ${page.operationCount} operations in ${spokenDuration(now.toMs - now.fromMs)}, ${page.failed === 0 ? "none failed" : `${whole(page.failed)} of them failed (${percent(page.failed, page.calls)})`}.`;
  return (
    <>
      <PageHead name="Signals › Traces" sentence={sentence} />
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center" }}>
        <TextField
          label="Operation or source"
          type="search"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          sx={{ width: 320 }}
          slotProps={{ htmlInput: { maxLength: 100 } }}
        />
        <FormControlLabel
          sx={{ ml: 0.5 }}
          control={
            <Switch
              size="small"
              checked={asked.all === "1"}
              onChange={(_event, on) => change({ all: on ? "1" : "" })}
            />
          }
          label="include outgoing calls"
          slotProps={{ typography: { variant: "body2" } }}
        />
      </Stack>
      {page.operations.length === 0 ? (
        <Empty>
          {page.kept === 0
            ? "Send OTLP traces to this machine; docs/operating.md shows how."
            : "No matches in this window. Widen it on the ribbon, or remove a word."}
        </Empty>
      ) : (
        <Stack sx={{ gap: 1.5 }}>
          {chosen ? (
            <Section
              title={`${chosen.name} · ${chosen.sender}`}
              aside={
                <Button onClick={() => change({ operation: "", least: "", most: "", failed: "" })} color="inherit">
                  All operations
                </Button>
              }
            >
              <DurationBars
                bars={page.bars}
                least={asked.least}
                most={asked.most}
                onRange={(from, to) => change({ least: from.toPrecision(4), most: to.toPrecision(4) })}
              />
              <Stack direction="row" sx={{ gap: 2, alignItems: "center", my: 1 }}>
                <FormControlLabel
                  sx={{ ml: 0.5 }}
                  control={
                    <Switch
                      size="small"
                      checked={asked.failed === "1"}
                      onChange={(_event, on) => change({ failed: on ? "1" : "" })}
                    />
                  }
                  label="failed only"
                  slotProps={{ typography: { variant: "body2" } }}
                />
                {asked.least !== null || asked.most !== null ? (
                  <Button onClick={() => change({ least: "", most: "" })}>
                    any duration, not only {formatValue(asked.least ?? 0, "ms")} to {formatValue(asked.most ?? 0, "ms")}
                  </Button>
                ) : null}
                <Box sx={{ flex: 1 }} />
                <Button
                  component={RouterLink}
                  variant="outlined"
                  disabled={compared.length !== 2}
                  to={keep(`/signals/traces/${compared[0] ?? ""}?with=${compared[1] ?? ""}`)}
                >
                  {compared.length === 2 ? "Compare" : "Select two to compare"}
                </Button>
              </Stack>
              <PlainTable aria-label="Traces">
                <thead>
                  <tr>
                    <th scope="col">Select</th>
                    <th scope="col">Start</th>
                    <th scope="col" className="num">
                      Duration
                    </th>
                    <th scope="col">Outcome</th>
                    <th scope="col">Trace</th>
                  </tr>
                </thead>
                <tbody>
                  {traces.map((trace) => (
                    <tr key={`${trace.traceId}${trace.startMs}`}>
                      <td>
                        <input
                          type="checkbox"
                          aria-label={`Compare the trace of ${dayAndTime(trace.startMs, now.nowMs, true)}`}
                          checked={compared.includes(trace.traceId)}
                          onChange={(event) => tick(trace.traceId, event.target.checked)}
                        />
                      </td>
                      <td className="line">{dayAndTime(trace.startMs, now.nowMs, true)}</td>
                      <td className="num line">{formatValue(trace.durationMs, "ms")}</td>
                      <td>
                        {trace.failed ? (
                          <strong style={{ color: "var(--hx-major)" }}>
                            failed{trace.message ? `: ${trace.message}` : ""}
                          </strong>
                        ) : (
                          "fine"
                        )}
                      </td>
                      <td>
                        <KeepLink to={`/signals/traces/${trace.traceId}`}>{trace.traceId.slice(0, 16)}…</KeepLink>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </PlainTable>
              {standsStill && now.live ? (
                <Typography variant="body2" role="status" sx={{ color: "text.secondary", mt: 0.5 }}>
                  The list is paused while some are selected.
                </Typography>
              ) : null}
              {traces.length === 0 ? (
                <Empty>No traces match. Select a wider range on the bars.</Empty>
              ) : traces.length >= page.mostTraces ? (
                <Empty>The newest {page.mostTraces} are shown.</Empty>
              ) : null}
            </Section>
          ) : null}
          <Section title="Operations" pad={false}>
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Operation</th>
                  <th scope="col">At</th>
                  <th scope="col">Kind</th>
                  <th scope="col" className="num">
                    Calls
                  </th>
                  <th scope="col" className="num">
                    Failed
                  </th>
                  <th scope="col" className="num">
                    p50
                  </th>
                  <th scope="col" className="num">
                    p95
                  </th>
                  <th scope="col" className="num">
                    p99
                  </th>
                </tr>
              </thead>
              <tbody>
                {page.operations.map((one) => (
                  <tr key={one.id} style={one.id === asked.operation ? { background: "var(--hx-raised)" } : {}}>
                    <td>
                      <WordButton onClick={() => change({ operation: String(one.id), least: "", most: "" })}>
                        {one.name}
                      </WordButton>
                    </td>
                    <td>
                      {one.componentId === null ? (
                        one.sender
                      ) : (
                        <KeepLink to={`/estate/${one.componentId}`}>{one.sender}</KeepLink>
                      )}
                    </td>
                    <td>{one.kind}</td>
                    <td className="num">{whole(one.calls)}</td>
                    <td
                      className="num"
                      style={one.failed / one.calls > 0.05 ? { color: "var(--hx-major)", fontWeight: 650 } : {}}
                    >
                      {percent(one.failed, one.calls)}
                    </td>
                    <td className="num line">{formatValue(one.p50, "ms")}</td>
                    <td className="num line">{formatValue(one.p95, "ms")}</td>
                    <td className="num line">{formatValue(one.p99, "ms")}</td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          </Section>
        </Stack>
      )}
    </>
  );
}
