import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import type { TargetState } from "#server/receivers/scraper";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

type Setup = Answer<"signalsSetup">;
type Credentials = Setup["credentials"];

interface ScrapedEndpointsProps {
  credentials: Credentials;
  pages: Setup["pages"];
  states: readonly TargetState[];
  nowMs: number;
}

/** Pages of OpenMetrics text that are read on an interval, with how the last look went. */
export function ScrapedEndpoints({ pages, credentials, states, nowMs }: ScrapedEndpointsProps) {
  return (
    <Section title={`Scraped endpoints: ${pages.length}`}>
      <Stack sx={{ gap: 1 }}>
        {pages.length ? (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Address</th>
                <th scope="col" className="num">
                  Every
                </th>
                <th scope="col">Last scrape</th>
                <th scope="col">Actions</th>
              </tr>
            </thead>
            <tbody>
              {pages.map((one) => (
                <Endpoint
                  key={one.id}
                  one={one}
                  credential={credentials.find((other) => other.id === one.credentialId)?.name}
                  state={states.find((other) => other.id === one.id)}
                  nowMs={nowMs}
                />
              ))}
            </tbody>
          </PlainTable>
        ) : null}
        <NewEndpoint credentials={credentials} />
      </Stack>
    </Section>
  );
}

interface EndpointProps {
  one: Setup["pages"][number];
  credential: string | undefined;
  state: TargetState | undefined;
  nowMs: number;
}

function Endpoint({ one, credential, state, nowMs }: EndpointProps) {
  return (
    <tr>
      <td style={{ overflowWrap: "anywhere" }}>
        {one.url}
        {one.credentialId === null ? null : <span className="hx-caption"> with {credential}</span>}
      </td>
      <td className="num">{one.everySeconds} s</td>
      <td>
        {state ? `${dayAndTime(state.atMs, nowMs, true)}: ${state.problem || `${state.samples} samples`}` : "not yet"}
      </td>
      <td>
        <Form method="post">
          <input type="hidden" name="what" value="removeEndpoint" />
          <input type="hidden" name="id" value={one.id} />
          <RightButton right="configure" type="submit" color="error" aria-label={`Stop scraping ${one.url}`}>
            Stop
          </RightButton>
        </Form>
      </td>
    </tr>
  );
}

function NewEndpoint({ credentials }: { credentials: Credentials }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value="endpoint" />
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
        <TextField name="url" label="URL" placeholder="http://host.example:9100/metrics" sx={{ flex: 1 }} />
        <TextField name="everySeconds" label="Every (s)" defaultValue="30" sx={{ width: 110 }} />
        <TextField name="credentialId" label="Credential" select defaultValue="" sx={{ width: 200 }}>
          <MenuItem value="">none</MenuItem>
          {credentials.map((one) => (
            <MenuItem key={one.id} value={String(one.id)}>
              {one.name}
            </MenuItem>
          ))}
        </TextField>
        <RightButton right="configure" type="submit" variant="outlined">
          Add
        </RightButton>
      </Stack>
      <details>
        <summary className="hx-small">Certificate of a private authority</summary>
        <TextField
          name="authority"
          label="Certificates (PEM)"
          multiline
          minRows={3}
          fullWidth
          sx={{ mt: 1 }}
          slotProps={{ htmlInput: { maxLength: 65_536 } }}
        />
      </details>
    </Form>
  );
}
