import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type KeyboardEvent } from "react";
import { moved, newStep, stepsAt, withSteps, type Draft } from "#core/repair/edit";
import { STEP_KINDS, type StepType } from "#core/repair/steps/registry";
import { StepForm } from "./StepForm";

type Path = readonly (string | number)[];

interface CardsProps {
  draft: Draft;
  path: Path;
  onChange: (draft: Draft) => void;
  above?: string;
}

const label = (type: unknown) => STEP_KINDS.find((kind) => kind.type === type)?.label ?? String(type);
const INSIDE = { do: "If so", otherwise: "If not", steps: "For each" } as const;

/**
 * Steps as cards: dragged to another place, or moved by Alt and the arrow keys; opened, their form changes the text
 * beside them.
 */
export function EditCards({ draft, path, onChange, above = "" }: CardsProps) {
  const steps = stepsAt(draft, path);
  const [dragged, setDragged] = useState<number | null>(null);
  const put = (next: readonly Draft[]) => onChange(withSteps(draft, path, next));
  const move = (from: number, to: number) => put(moved(steps, from, to));
  return (
    <Stack
      component="ol"
      sx={{ gap: 1, m: 0, p: 0, listStyle: "none" }}
      aria-label={above ? `Steps of ${above}` : "Steps"}
    >
      {steps.map((step, index) => (
        <Box
          component="li"
          // Steps have no names of their own; their place is what they are known by here.
          key={`${index}-${String(step.type)}`}
          onDragOver={(event) => (dragged === null ? undefined : event.preventDefault())}
          onDrop={(event) => {
            event.preventDefault();
            if (dragged !== null) move(dragged, index);
            setDragged(null);
          }}
          sx={{ border: 1, borderColor: "divider", bgcolor: "background.paper" }}
        >
          <Card
            step={step}
            number={`${above}${index + 1}`}
            isFirst={index === 0}
            isLast={index === steps.length - 1}
            onDrag={(isDragged) => setDragged(isDragged ? index : null)}
            onMove={(by) => move(index, index + by)}
            onRemove={() => put(steps.filter((_, at) => at !== index))}
            onChange={(next) => put(steps.map((one, at) => (at === index ? next : one)))}
          />
          {(["do", "otherwise", "steps"] as const).map((inner) =>
            Array.isArray(step[inner]) || (inner === "otherwise" && step.type === "choose") ? (
              <Box key={inner} sx={{ ml: 3, mr: 1, mb: 1 }}>
                <Typography variant="body2" sx={{ fontWeight: 600, mb: 0.5 }}>
                  {INSIDE[inner]}
                </Typography>
                <EditCards
                  draft={draft}
                  path={[...path, index, inner]}
                  onChange={onChange}
                  above={`${above}${index + 1}.`}
                />
              </Box>
            ) : null,
          )}
        </Box>
      ))}
      <li>
        <AddStep onAdd={(type) => put([...steps, newStep(type)])} />
      </li>
    </Stack>
  );
}

function Card({
  step,
  number,
  isFirst,
  isLast,
  onDrag,
  onMove,
  onRemove,
  onChange,
}: {
  step: Draft;
  number: string;
  isFirst: boolean;
  isLast: boolean;
  onDrag: (isDragged: boolean) => void;
  onMove: (by: number) => void;
  onRemove: () => void;
  onChange: (step: Draft) => void;
}) {
  const [open, setOpen] = useState(false);
  const title = String(step.title ?? "");
  const keys = (event: KeyboardEvent) => {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    const by = event.key === "ArrowUp" ? -1 : 1;
    if ((by < 0 && !isFirst) || (by > 0 && !isLast)) onMove(by);
  };
  return (
    <Box sx={{ px: 1, py: 0.5 }} onKeyDown={keys}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 1 }}>
        <Box
          component="span"
          draggable
          onDragStart={() => onDrag(true)}
          onDragEnd={() => onDrag(false)}
          aria-hidden="true"
          title="Drag to another place"
          sx={{ cursor: "grab", color: "text.secondary", userSelect: "none" }}
        >
          ⠿
        </Box>
        <Typography variant="body2" sx={{ minWidth: 28 }}>
          {number}
        </Typography>
        <Typography variant="body2" sx={{ flex: 1, minWidth: 0 }}>
          <strong>{title}</strong> <span className="hx-caption">{label(step.type)}</span>
        </Typography>
        <Button size="small" disabled={isFirst} onClick={() => onMove(-1)} aria-label={`Move ${number} up`}>
          Up
        </Button>
        <Button size="small" disabled={isLast} onClick={() => onMove(1)} aria-label={`Move ${number} down`}>
          Down
        </Button>
        <Button size="small" onClick={() => setOpen(!open)} aria-expanded={open} aria-label={`Change ${number}`}>
          {open ? "Close" : "Change"}
        </Button>
        <Button size="small" color="error" onClick={onRemove} aria-label={`Remove ${number}`}>
          Remove
        </Button>
      </Stack>
      {open ? <StepForm step={step} onChange={onChange} /> : null}
    </Box>
  );
}

function AddStep({ onAdd }: { onAdd: (type: StepType) => void }) {
  const [type, setType] = useState<StepType>("command");
  const kind = STEP_KINDS.find((one) => one.type === type);
  return (
    <Stack direction="row" sx={{ gap: 1, alignItems: "center" }}>
      <TextField
        select
        label="Kind of step"
        value={type}
        onChange={(event) => setType(event.target.value as StepType)}
        sx={{ width: 170 }}
      >
        {STEP_KINDS.map((one) => (
          <MenuItem key={one.type} value={one.type}>
            {one.label}
          </MenuItem>
        ))}
      </TextField>
      <Button variant="outlined" onClick={() => onAdd(type)}>
        Add step
      </Button>
      <Typography variant="caption" sx={{ color: "text.secondary", flex: 1 }}>
        {kind?.about}
      </Typography>
    </Stack>
  );
}
