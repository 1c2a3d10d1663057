import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { z } from "zod";
import { metricName } from "#core/catalogue/metrics";
import { SEVERITIES } from "#core/alarms/severity";
import type { Route } from "./+types/setup.rules";
import { act, readForm, refuse } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Rules · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return { rules: await context.ask("rules", {}) };
}

const schema = z
  .object({
    id: z.coerce.number().int().min(1),
    samples: z.coerce
      .number("The number of samples is a whole number.")
      .int("The number of samples is a whole number.")
      .min(1, "Take at least one sample.")
      .max(60, "Take at most 60 samples."),
    hysteresis: z.coerce.number("How far back is a number.").min(0, "How far back cannot be below zero."),
    enabled: z.string().optional(),
  })
  .loose();

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const { id, samples, hysteresis, enabled, ...rest } = form.value;
  const limits: {
    severity: (typeof SEVERITIES)[number] & ("critical" | "major" | "minor" | "warning" | "indeterminate");
    value: number;
  }[] = [];
  for (const severity of SEVERITIES) {
    const text = rest[`limit.${severity}`];
    if (severity === "cleared" || typeof text !== "string" || text.trim() === "") continue;
    const value = Number(text);
    if (!Number.isFinite(value)) return refuse(`The ${severity} limit “${text.slice(0, 20)}” is not a number.`);
    limits.push({ severity, value });
  }
  const done = await act(context, request, "rule.save", { id, limits, samples, hysteresis, enabled: enabled === "on" });
  return done.ok ? { ok: true as const } : done.refusal;
}

const LIMITS = ["critical", "major", "minor", "warning"] as const;

export default function Rules({ loaderData: { rules }, actionData }: Route.ComponentProps) {
  return (
    <>
      <PageHead
        name="Setup › Rules"
        sentence={`${rules.filter((rule) => rule.enabled).length} of ${rules.length} rules are on. A change takes hold with the next sample and is kept as a change.`}
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Stack sx={{ gap: 1 }}>
        {rules.map((rule) => (
          <Section key={rule.id} title={rule.name}>
            <Form method="post">
              <input type="hidden" name="id" value={rule.id} />
              <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
                {metricName(rule.metric)} of {rule.kind}, {rule.direction} the limit
              </Typography>
              <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
                {LIMITS.map((severity) => (
                  <TextField
                    key={severity}
                    name={`limit.${severity}`}
                    label={<Box component="span">{severity}</Box>}
                    defaultValue={rule.limits.find((limit) => limit.severity === severity)?.value ?? ""}
                    sx={{ width: 96 }}
                    slotProps={{ htmlInput: { inputMode: "decimal" }, inputLabel: { shrink: true } }}
                  />
                ))}
                <TextField name="samples" label="Mean of samples" defaultValue={rule.samples} sx={{ width: 130 }} />
                <TextField
                  name="hysteresis"
                  label="Must come back by"
                  defaultValue={rule.hysteresis}
                  sx={{ width: 140 }}
                />
                <FormControlLabel
                  control={<Switch name="enabled" defaultChecked={rule.enabled} size="small" />}
                  label="on"
                />
                <Button type="submit" variant="outlined" aria-label={`Save ${rule.name}`}>
                  Save
                </Button>
                <Stack direction="row" sx={{ gap: 1 }}>
                  {rule.limits.map((limit) => (
                    <SeverityLabel key={limit.severity} severity={limit.severity} />
                  ))}
                </Stack>
              </Stack>
            </Form>
          </Section>
        ))}
      </Stack>
    </>
  );
}
