import Box from "@mui/material/Box";
import type { CommandOutput } from "#server/commands/registry";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { Rulings } from "./Rulings";

export type Dry = CommandOutput<"run.dry">;
const MOST_SHOWN = 200;

/** What would be done where, with every word filled in; nothing has been done. */
export function DryRun({ dry }: { dry: Dry }) {
  const acting = dry.steps.filter((step) => step.acts);
  const blocked = dry.steps.filter((step) => step.problem !== null);
  const components = new Set(acting.map((step) => step.at ?? step.component));
  return (
    <Section title="Dry run" pad={false} aside={<span className="hx-caption">nothing was changed</span>}>
      <Box sx={{ p: 1.5 }} role="status">
        <p className="hx-flush">
          {acting.length} {acting.length === 1 ? "step acts" : "steps act"} on{" "}
          {components.size === 1 ? [...components][0] : `${components.size} components`};{" "}
          {acting.filter((step) => step.hasUndo).length} of them can be taken back.
          {blocked.length ? ` ${blocked.length} could not be carried out: ${blocked[0]?.problem}` : ""}
        </p>
        {dry.held ? <p className="hx-flush">The guardrails would hold a policy back here:</p> : null}
        {dry.held ? <Rulings rulings={dry.rulings} warnOnly /> : null}
      </Box>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Step</th>
            <th scope="col">Where</th>
            <th scope="col">What</th>
            <th scope="col">Now</th>
          </tr>
        </thead>
        <tbody>
          {dry.steps.slice(0, MOST_SHOWN).map((step) => (
            <tr key={step.position}>
              <td>
                {step.branch === "do" ? "if so: " : step.branch === "otherwise" ? "if not: " : ""}
                {step.title}
              </td>
              <td>{step.at ?? step.component}</td>
              <td>
                <code style={{ overflowWrap: "anywhere" }}>{step.words}</code>
              </td>
              <td>{step.problem ?? step.now ?? (step.acts ? "not done in a dry run" : "–")}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {dry.steps.length > MOST_SHOWN ? <p className="hx-empty">And {dry.steps.length - MOST_SHOWN} more.</p> : null}
    </Section>
  );
}
