import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { formatValue } from "#core/units/format";
import { useKeep, useShell } from "../../shell/window";
import { DurationBars } from "../DurationBars";
import { Empty, Section } from "../Page";
import type { Change, TracesData } from "./page";
import { TraceList } from "./TraceList";

/** One operation: how long its calls took, and the traces behind the bars, two of which can be compared. */
export function OneOperation({
  page,
  chosen,
  onChange: change,
}: {
  page: TracesData;
  chosen: NonNullable<TracesData["chosen"]>;
  onChange: Change;
}) {
  const { window: now } = useShell();
  const keep = useKeep();
  const { asked } = page;
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
  return (
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
      <TraceList traces={traces} compared={compared} onTick={tick} />
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
  );
}
