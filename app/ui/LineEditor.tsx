import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Popover from "@mui/material/Popover";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Selection } from "#core/telemetry/selection";

const TRANSFORM_NAMES = {
  value: "value",
  rate: "rate per second",
  change: "change since previous sample",
} as const;
const AGGREGATE_NAMES = {
  "": "no aggregation",
  mean: "mean",
  sum: "sum",
  min: "minimum",
  max: "maximum",
  p50: "median",
  p90: "90th percentile",
  p95: "95th percentile",
  p99: "99th percentile",
} as const;
const BY_NAMES = {
  "": "all together",
  component: "by component",
  kind: "by kind",
  site: "by site",
  service: "by service",
  instance: "by instance",
} as const;
const PICK_NAMES = { "": "all", highest: "highest", lowest: "lowest" } as const;
const RANK_NAMES = {
  mean: "by mean",
  max: "by maximum",
  min: "by minimum",
  last: "by last value",
} as const;

/** How one selection is drawn: transformed, aggregated, grouped, narrowed to the highest or lowest, on which axis. */
export function LineEditor({
  anchor,
  selection,
  onChange,
  onClose,
}: {
  anchor: HTMLElement | null;
  selection: Selection;
  onChange: (selection: Selection) => void;
  onClose: () => void;
}) {
  const [draft, setDraft] = useState<Selection>(selection);
  const single = selection.series !== undefined;
  const choose = (name: keyof Selection, value: string) => {
    const next: Record<string, unknown> = { ...draft };
    if (value) next[name] = value;
    else delete next[name];
    setDraft(next as Selection);
  };
  const pickOne = (name: keyof Selection, label: string, names: Readonly<Record<string, string>>, usual: string) => (
    <PickOne
      label={label}
      names={names}
      value={String(draft[name] ?? usual)}
      onPick={(value) => choose(name, value === usual ? "" : value)}
    />
  );
  const write = (name: "kind" | "instance", label: string, placeholder: string, tidy: (text: string) => string) => (
    <TextField
      label={label}
      value={draft[name] ?? ""}
      placeholder={placeholder}
      onChange={(event) => choose(name, tidy(event.target.value))}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
  return (
    <Popover
      open={anchor !== null}
      anchorEl={anchor}
      onClose={onClose}
      anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      slotProps={{ paper: { sx: { border: 1, borderColor: "divider", p: 2, width: 320 } } }}
    >
      <form
        aria-label="Edit these lines"
        onSubmit={(event) => {
          event.preventDefault();
          onChange(draft);
        }}
      >
        <Stack sx={{ gap: 1.5 }}>
          <Typography variant="h3" component="h2">
            Edit these lines
          </Typography>
          {pickOne("transform", "Values", TRANSFORM_NAMES, "value")}
          {single ? null : (
            <>
              {write("kind", "Kind", "any; host.* matches every host", (text) => text.trim().slice(0, 60))}
              {write("instance", "Instance", "any; * matches anything", (text) => text.slice(0, 100))}
              {pickOne("aggregate", "Aggregate", AGGREGATE_NAMES, "")}
              {draft.aggregate ? pickOne("by", "Grouped", BY_NAMES, "") : null}
              {pickOne("pick", "Show", PICK_NAMES, "")}
              {draft.pick ? (
                <Stack direction="row" sx={{ gap: 1 }}>
                  <HowMany count={draft.count ?? 10} onCount={(count) => setDraft({ ...draft, count })} />
                  {pickOne("rank", "Ranked", RANK_NAMES, "mean")}
                </Stack>
              ) : null}
            </>
          )}
          {pickOne("axis", "Axis", { "": "left", right: "right" }, "")}
          <Buttons onClose={onClose} />
        </Stack>
      </form>
    </Popover>
  );
}

function Buttons({ onClose }: { onClose: () => void }) {
  return (
    <Stack direction="row" sx={{ gap: 1, justifyContent: "flex-end" }}>
      <Button onClick={onClose}>Cancel</Button>
      <Button type="submit" variant="contained">
        Draw
      </Button>
    </Stack>
  );
}

/** One of some named values. */
function PickOne({
  label,
  names,
  value,
  onPick,
}: {
  label: string;
  names: Readonly<Record<string, string>>;
  value: string;
  onPick: (value: string) => void;
}) {
  return (
    <TextField
      select
      fullWidth
      label={label}
      value={value}
      onChange={(event) => onPick(event.target.value)}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      {Object.entries(names).map(([one, text]) => (
        <MenuItem key={one} value={one}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
}

const MOST_LINES = 24;
const USUAL_LINES = 10;

function HowMany({ count, onCount }: { count: number; onCount: (count: number) => void }) {
  return (
    <TextField
      label="How many"
      type="number"
      value={count}
      onChange={(event) =>
        onCount(Math.max(1, Math.min(MOST_LINES, Math.round(Number(event.target.value)) || USUAL_LINES)))
      }
      slotProps={{ htmlInput: { min: 1, max: MOST_LINES } }}
      sx={{ width: 100 }}
    />
  );
}
