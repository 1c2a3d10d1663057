import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Form, useNavigation } from "react-router";
import type { rulePage } from "#server/pages/setup";
import type { Refusal } from "../shell/answers.server";
import { SchemaField } from "./SchemaField";
import { RightButton } from "./RightButton";

type Shape = NonNullable<ReturnType<typeof rulePage>>;

/** The form of a rule: its name, what it applies to, and the settings of its detector. */
export function RuleForm({
  page,
  answer,
  wanted,
}: {
  page: Shape;
  answer: Refusal | undefined;
  /** What a new rule is to apply to, where one came from there. */
  wanted: string | null;
}) {
  const busy = useNavigation().state !== "idle";
  const { rule, fields, scopes, metrics, detector } = page;
  const problemOf = (field: string) => answer?.fields?.[field];
  const metric = fields.find((field) => field.name === "metric");
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="type" value={detector.type} />
      <Stack sx={{ gap: 1.5 }}>
        <Typography variant="body2" color="text.secondary">
          {detector.about}
        </Typography>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField
            name="name"
            label="Name"
            defaultValue={rule?.name ?? page.copied?.name ?? ""}
            required
            fullWidth
            error={Boolean(problemOf("name"))}
            helperText={problemOf("name")}
          />
          <TextField
            select
            name="scope"
            label="Applies to"
            defaultValue={rule?.scope ?? wanted ?? page.firstScope}
            fullWidth
            error={Boolean(problemOf("scope"))}
            helperText={problemOf("scope")}
          >
            {scopes.map((scope) => (
              <MenuItem key={scope.value} value={scope.value}>
                {scope.label}
              </MenuItem>
            ))}
          </TextField>
        </Stack>
        {metric ? (
          <Metric value={metric.value} label={metric.label} metrics={metrics} problem={problemOf("metric")} />
        ) : null}
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
          {fields
            .filter((field) => field.name !== "metric")
            .map((field) => (
              <SchemaField key={field.name} field={field} problem={problemOf(field.name)} />
            ))}
        </Stack>
        <Stack direction="row" sx={{ gap: 1, alignItems: "center" }}>
          <RightButton right="configure" type="submit" variant="contained" name="intent" value="save" disabled={busy}>
            {rule ? "Save" : "Add rule"}
          </RightButton>
          <Button type="submit" variant="outlined" name="intent" value="preview" disabled={busy}>
            Preview
          </Button>
          <FormControlLabel control={<Switch name="enabled" defaultChecked={rule?.enabled ?? true} />} label="On" />
        </Stack>
      </Stack>
    </Form>
  );
}

/** The metric that a rule judges: one of those that are known, or any that may come. */
function Metric({
  value,
  label,
  metrics,
  problem,
}: {
  value: string;
  label: string;
  metrics: Shape["metrics"];
  problem: string | undefined;
}) {
  return (
    <Autocomplete
      freeSolo
      defaultValue={value}
      options={metrics.map((one) => one.value)}
      getOptionLabel={(option) => option}
      renderOption={(props, option) => (
        <li {...props} key={option}>
          {metrics.find((one) => one.value === option)?.label} ({option})
        </li>
      )}
      renderInput={(props) => (
        <TextField
          {...props}
          name="metric"
          label={label}
          error={Boolean(problem)}
          helperText={problem ?? "Any metric that is polled or sent, of a component or a service."}
        />
      )}
    />
  );
}
