import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { z } from "zod";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/signals.traces";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { Empty, PageHead } from "../ui/Page";
import { OneOperation } from "../ui/traces/OneOperation";
import { Operations } from "../ui/traces/Operations";
import { percent, whole } from "../ui/traces/page";

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

export default function Traces({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const { asked, chosen } = page;
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((params) => applyChanges(params, changes), replace);
  const [typed, setTyped] = useTyped(asked.q, (q) => change({ q }, true), 250);
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
          {chosen ? <OneOperation page={page} chosen={chosen} onChange={change} /> : null}
          <Operations page={page} onChange={change} />
        </Stack>
      )}
    </>
  );
}
