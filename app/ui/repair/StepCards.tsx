import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { insideOf, kindOfStep, type Step } from "#core/repair/steps/registry";
import { PLACE_WORDS } from "#core/repair/steps/step";

const INSIDE = { do: "If so", otherwise: "If not", each: "For each" } as const;

/** The steps of a runbook, to be read: what each does, with the arguments given so far filled in. */
export function StepList({
  steps,
  args,
  above = "",
}: {
  steps: readonly Step[];
  args: Record<string, string>;
  above?: string;
}) {
  const filled = Object.fromEntries(Object.entries(args).filter(([, value]) => value !== ""));
  return (
    <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {steps.map((step, index) => {
        const kind = kindOfStep(step.type);
        const number = `${above}${index + 1}`;
        return (
          <Box
            component="li"
            key={`${number}${step.title}`}
            sx={{ borderTop: index || above ? 1 : 0, borderColor: "divider" }}
          >
            <Box sx={{ display: "grid", gridTemplateColumns: "44px 92px minmax(0, 1fr)", gap: 1, px: 1.5, py: 1 }}>
              <Typography variant="body2">{number}</Typography>
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                {kind.label}
              </Typography>
              <Box>
                <Typography variant="body2" sx={{ fontWeight: 600 }}>
                  {step.title}
                </Typography>
                <Typography variant="body2" sx={{ color: "text.secondary", overflowWrap: "anywhere" }}>
                  {kind.acts ? <code>{kind.words(step as never, filled)}</code> : kind.words(step as never, filled)}
                  {step.type === "command" && (step.at ?? "target") !== "target" ? ` — on ${PLACE_WORDS[step.at]}` : ""}
                </Typography>
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  {remarks(step, filled)}
                </Typography>
              </Box>
            </Box>
            {insideOf(step).map(({ branch, steps: inner }) =>
              inner.length ? (
                <Box key={branch} sx={{ ml: 4 }}>
                  <Typography variant="body2" sx={{ px: 1.5, fontWeight: 600 }}>
                    {INSIDE[branch]}
                  </Typography>
                  <StepList steps={inner} args={args} above={`${number}.`} />
                </Box>
              ) : null,
            )}
          </Box>
        );
      })}
    </Box>
  );
}

function remarks(step: Step, args: Record<string, string>): string {
  const undo = "undo" in step ? step.undo : undefined;
  return [
    step.retries ? `tried ${step.retries + 1} times` : "",
    step.onFailure === "continue"
      ? "goes on when it fails"
      : step.onFailure === "rollback"
        ? "rolls back when it fails"
        : "",
    undo ? `taken back by: ${kindOfStep(step.type).words(undo as never, args)}` : "",
  ]
    .filter(Boolean)
    .join("; ");
}
