import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { clockTime, dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/signals.trace";
import { missing } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { MONO } from "../theme/theme";
import { KeepLink } from "../ui/KeepLink";
import { LogLevelWord } from "../ui/logs/LogLevelWord";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { TraceDifference } from "../ui/TraceDifference";
import { Waterfall } from "../ui/Waterfall";

export const meta: Route.MetaFunction = () => [{ title: "Trace · Holotaxis" }];

const isTraceId = (text: string) => /^[0-9a-f]{32}$/.test(text);

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const other = new URL(request.url).searchParams.get("with") ?? "";
  const trace = isTraceId(params.id)
    ? await context.ask("trace", { traceId: params.id, other: isTraceId(other) ? other : "" })
    : null;
  if (!trace) throw missing("trace", params.id);
  return trace;
}

export default function Trace({ loaderData: trace }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const first = trace.spans[0];
  const failed = trace.spans.filter((span) => span.failed);
  // The failure that began it is the deepest one.
  const cause = [...failed].sort((a, b) => b.depth - a.depth || a.startMs - b.startMs)[0];
  const slowest = [...trace.spans].sort((a, b) => b.ownMs - a.ownMs)[0];
  const sentence = `${first?.name ?? "A trace"} at ${first?.sender ?? "?"} took ${formatValue(trace.durationMs, "ms")} at ${dayAndTime(trace.startMs, now.nowMs, true)}${cause ? ` and failed at ${cause.sender}${cause.message ? `: ${cause.message}` : ""}` : ""}. ${slowest && trace.spans.length > 1 ? `Most of the time, ${formatValue(slowest.ownMs, "ms")}, went by in ${slowest.name} at ${slowest.sender}.` : ""}`;
  const senders = [...new Map(trace.spans.map((span) => [span.sender, span.componentId])).entries()];
  return (
    <>
      <PageHead
        name="Signals › Traces › One trace"
        sentence={sentence}
        actions={
          first?.componentId ? (
            <Button
              component={RouterLink}
              to={keep(`/map?around=${(cause ?? first).componentId ?? first.componentId}`)}
              variant="outlined"
            >
              {cause ? "Map around the failure" : "Local map"}
            </Button>
          ) : null
        }
      />
      <Problem>
        {trace.otherMissing ? "The other trace is no longer stored. Select two under Traces to compare them." : null}
      </Problem>
      <Stack sx={{ gap: 1.5 }}>
        {trace.other ? (
          <>
            <Box
              sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))", alignItems: "start" }}
            >
              <Section title={`This trace, ${formatValue(trace.durationMs, "ms")}`} pad={false}>
                <Waterfall spans={trace.spans} narrow />
              </Section>
              <Section title={`The other, ${trace.other.traceId.slice(0, 12)}…`} pad={false}>
                <Waterfall spans={trace.other.spans} narrow />
              </Section>
            </Box>
            <Section title="Differences by step" pad={false}>
              <TraceDifference one={trace.spans} other={trace.other.spans} />
            </Section>
          </>
        ) : (
          <Section title={`${trace.spans.length} spans`} pad={false}>
            <Waterfall spans={trace.spans} />
          </Section>
        )}
        <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))", alignItems: "start" }}>
          <Section title="Path">
            <Box component="ol" sx={{ m: 0, pl: 2.5, fontSize: "0.86rem" }}>
              {senders.map(([name, componentId]) => (
                <li key={name}>
                  {componentId === null ? name : <KeepLink to={`/estate/${componentId}`}>{name}</KeepLink>}
                </li>
              ))}
            </Box>
          </Section>
          <Section title="Its log records">
            <Logs logs={trace.logs} />
          </Section>
        </Box>
        <Typography variant="caption" sx={{ color: "text.secondary", fontFamily: MONO }}>
          trace {trace.traceId}
        </Typography>
      </Stack>
    </>
  );
}

function Logs({ logs }: { logs: Route.ComponentProps["loaderData"]["logs"] }) {
  if (logs.length === 0) return <Empty>No log record refers to this trace.</Empty>;
  return (
    <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none", fontFamily: MONO, fontSize: "0.78rem" }}>
      {logs.map((log) => (
        <li key={log.id} style={{ display: "flex", gap: 8 }}>
          <span>{clockTime(log.atMs, true)}</span>
          <LogLevelWord level={log.level} />
          <span>{log.body}</span>
        </li>
      ))}
    </Box>
  );
}
