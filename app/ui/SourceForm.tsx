import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import type { SourceFields } from "#server/store/sweeps";
import type { Refusal } from "../shell/answers.server";

export const USUAL_PORTS = "22, 25, 80, 389, 443, 1883, 5432, 5672, 8080, 8443";

/** The fields of a source: where to look, by what ports, with which community. */
export function SourceForm({
  values,
  answer,
  isNew,
}: {
  values: SourceFields;
  answer: Refusal | undefined;
  isNew: boolean;
}) {
  const wrong = (field: string) => ({ error: Boolean(answer?.fields?.[field]), helperText: answer?.fields?.[field] });
  return (
    <Form method="post" noValidate>
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField name="name" label="Name" defaultValue={values.name} required fullWidth {...wrong("name")} />
          <TextField name="site" label="Site" defaultValue={values.site} required fullWidth {...wrong("site")} />
        </Stack>
        <TextField
          name="ranges"
          label="Addresses"
          defaultValue={values.ranges}
          required
          multiline
          minRows={2}
          error={Boolean(answer?.fields?.ranges)}
          helperText={
            answer?.fields?.ranges ??
            "Single addresses, blocks (127.20.1.0/24) or spans (127.20.1.10-40), separated by commas."
          }
        />
        <TextField name="ports" label="TCP ports to try" defaultValue={values.ports} fullWidth {...wrong("ports")} />
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField
            name="community"
            label="SNMP community"
            type="password"
            autoComplete="off"
            fullWidth
            error={Boolean(answer?.fields?.community)}
            helperText={
              answer?.fields?.community ??
              (isNew ? "Kept encrypted and never shown again." : "Leave empty to keep the one in use.")
            }
          />
          <TextField
            name="snmpPort"
            label="SNMP port (UDP)"
            defaultValue={values.snmpPort}
            sx={{ width: 160, flex: "none" }}
            {...wrong("snmpPort")}
          />
          <TextField
            name="pollSeconds"
            label="Poll every (s)"
            defaultValue={values.pollSeconds}
            sx={{ width: 140, flex: "none" }}
            {...wrong("pollSeconds")}
          />
        </Stack>
        <Stack direction="row" sx={{ gap: 1 }}>
          <Button type="submit" variant="contained" name="intent" value="save">
            {isNew ? "Add the source" : "Save"}
          </Button>
          <Button type="submit" variant="outlined" name="intent" value="save-and-sweep">
            {isNew ? "Add and sweep" : "Save and sweep"}
          </Button>
        </Stack>
      </Stack>
    </Form>
  );
}
