import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { clockTime, spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { MONO } from "../../theme/theme";
import { Section } from "../Page";
import { RightButton } from "../RightButton";
import { RunStateWord } from "../RunState";

type Run = NonNullable<Answer<"run">>;
type Step = Run["steps"][number];

const MOST_SHOWN = 300;
const DEEP = 3;

/** Steps by their numbers: 1, 2, 2.1 … as they are counted within what holds them. */
export function numbersOf(steps: readonly Pick<Step, "position" | "parent" | "branch" | "component_id">[]) {
  const numbers = new Map<number, { number: string; depth: number }>();
  const counts = new Map<string, number>();
  for (const step of steps) {
    const key = `${step.parent}:${step.branch}:${step.component_id}`;
    const count = (counts.get(key) ?? 0) + 1;
    counts.set(key, count);
    const above = step.parent === null ? undefined : numbers.get(step.parent);
    numbers.set(step.position, {
      number: above ? `${above.number}.${count}` : `${count}`,
      depth: above ? Math.min(DEEP, above.depth + 1) : 0,
    });
  }
  return numbers;
}

/** The steps of a run: what was done, what it printed, how it ended; what was taken back stands at the end. */
export function RunSteps({ page }: { page: Run }) {
  const done = page.steps.filter((step) => step.branch !== "undo");
  const undone = page.steps.filter((step) => step.branch === "undo");
  const numbers = numbersOf(done);
  const shown = done.length > MOST_SHOWN ? important(done) : done;
  return (
    <Stack sx={{ gap: 1 }} aria-live="polite">
      {shown.map((step) => {
        const place = numbers.get(step.position);
        return (
          <Box key={step.position} sx={{ ml: (place?.depth ?? 0) * 3 }}>
            <OneStep
              step={step}
              number={place?.number ?? ""}
              showsTarget={step.component_id !== page.run.component_id && step.component !== null}
              runId={page.run.id}
            />
          </Box>
        );
      })}
      {shown.length < done.length ? (
        <p className="hx-empty">
          {done.length - shown.length} more steps are done, left out or wait; those that run, failed or ask are shown.
        </p>
      ) : null}
      {undone.length ? (
        <h2 className="hx-form-head">
          Taken back
          {page.run.rollback === "running" ? " (under way)" : page.run.rollback === "failed" ? " in part" : ""}
        </h2>
      ) : null}
      {undone.map((step) => (
        <OneStep key={step.position} step={step} number="" showsTarget runId={page.run.id} />
      ))}
    </Stack>
  );
}

const important = (steps: readonly Step[]) =>
  steps
    .filter((step) => step.parent === null || !["waiting", "skipped", "passed"].includes(step.state))
    .slice(0, MOST_SHOWN);

const BRANCHES: Readonly<Record<string, string>> = { do: "if so: ", otherwise: "if not: " };

function OneStep({
  step,
  number,
  showsTarget,
  runId,
}: {
  step: Step;
  number: string;
  showsTarget: boolean;
  runId: number;
}) {
  return (
    <Section
      title={`${number ? `${number}. ` : ""}${BRANCHES[step.branch] ?? ""}${step.title}${showsTarget ? ` · ${step.component}` : ""}`}
      pad={Boolean(step.command || step.output || step.message || step.state === "asking")}
      aside={
        <Typography variant="body2" component="span" sx={{ display: "flex", gap: 1.5 }}>
          {step.tries > 0 ? <span>{`${step.tries} ${step.tries === 1 ? "retry" : "retries"}`}</span> : null}
          {step.started_at ? (
            <span
              style={{ color: "var(--mui-palette-text-secondary)" }}
            >{`${clockTime(step.started_at, true)}${step.ended_at ? `, ${spokenDuration(step.ended_at - step.started_at)}` : ""}`}</span>
          ) : null}
          <RunStateWord state={step.state} />
        </Typography>
      }
    >
      {step.command ? (
        <Box sx={{ fontFamily: MONO, fontSize: "0.82rem", mb: step.output ? 0.5 : 0, whiteSpace: "pre-wrap" }}>
          <span aria-hidden="true">{step.type === "command" || step.type === "script" ? "$ " : ""}</span>
          {step.command}
          {step.exit_code !== null ? (
            <span style={{ color: "var(--mui-palette-text-secondary)" }}>
              {`   ${step.type === "http" ? "status" : step.type === "sql" ? "rows" : "exit code"} ${step.exit_code}`}
            </span>
          ) : null}
        </Box>
      ) : null}
      {step.output ? <Output step={step} number={number} runId={runId} /> : null}
      {step.message ? <Typography variant="body2">{step.message}</Typography> : null}
      {step.state === "asking" ? <Approval step={step} /> : null}
      {step.answered_by && step.state !== "asking" ? (
        <Typography variant="body2">Answered by {step.answered_by}.</Typography>
      ) : null}
      {step.canLook ? (
        <Form method="post">
          <input type="hidden" name="position" value={step.position} />
          <RightButton right="repair" type="submit" name="intent" value="look" variant="outlined">
            Look what it did
          </RightButton>
        </Form>
      ) : null}
    </Section>
  );
}

function Output({ step, number, runId }: { step: Step; number: string; runId: number }) {
  return (
    <>
      <Box
        component="pre"
        tabIndex={0}
        aria-label={`Output of step ${number || step.title}`}
        sx={{
          m: 0,
          p: 1,
          bgcolor: "background.default",
          fontFamily: MONO,
          fontSize: "0.78rem",
          maxHeight: 240,
          overflow: "auto",
          whiteSpace: "pre-wrap",
        }}
      >
        {step.output}
      </Box>
      {step.left_out > 0 ? (
        <Typography variant="body2">
          {step.left_out} more characters: <a href={`/runs/${runId}/output/${step.position}.txt`}>the rest as a file</a>
        </Typography>
      ) : null}
    </>
  );
}

/** Somebody else than who started the run says yes or no. */
function Approval({ step }: { step: Step }) {
  const { window: now } = useShell();
  const left = step.ask_until === null ? null : Math.max(0, step.ask_until - now.nowMs);
  return (
    <Form method="post">
      <input type="hidden" name="position" value={step.position} />
      <Stack direction="row" sx={{ gap: 1, alignItems: "center", mt: 0.5 }}>
        <RightButton right="respond" type="submit" name="intent" value="approve" variant="contained">
          Approve
        </RightButton>
        <RightButton right="respond" type="submit" name="intent" value="decline" variant="outlined" color="error">
          Do not approve
        </RightButton>
        <Typography variant="body2">
          {step.role ? `By a ${step.role} or higher` : ""}
          {left === null ? "" : `, within ${spokenDuration(left)}`}.
        </Typography>
      </Stack>
    </Form>
  );
}
