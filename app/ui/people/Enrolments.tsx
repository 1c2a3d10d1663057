import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { Caption } from "../Page";
import { ENDS } from "./TokenForm";

/** Codes with which agents fetch a token of their own, and a way to make one. */
export function Enrolments({
  enrolments,
  machineMs,
}: {
  enrolments: Answer<"tokens">["enrolments"];
  machineMs: number;
}) {
  return (
    <div className="hx-pad">
      <Caption>
        An agent fetches a token of its own with a code, once for each host. What it reports is taken for that host
        only.
      </Caption>
      <Form method="post">
        <input type="hidden" name="what" value="enrol" />
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", mt: 1.5 }}>
          <TextField
            name="hosts"
            label="Hosts"
            type="number"
            defaultValue="1"
            sx={{ width: 120 }}
            slotProps={{ htmlInput: { min: 1, max: 5000 } }}
          />
          <TextField name="days" label="Good for" select defaultValue="1" sx={{ width: 130 }}>
            {ENDS.slice(0, 3).map((one) => (
              <MenuItem key={one.value} value={one.value}>
                {one.label}
              </MenuItem>
            ))}
          </TextField>
          <Button type="submit" variant="outlined">
            Make an enrolment code
          </Button>
        </Stack>
      </Form>
      {enrolments.length ? (
        <ul className="hx-plain-list" aria-label="Open enrolment codes">
          {enrolments.map((one) => (
            <li key={one.id}>
              <Form method="post" className="hx-row">
                <input type="hidden" name="what" value="endEnrolment" />
                <input type="hidden" name="id" value={one.id} />
                <span>
                  {one.remaining === 1 ? "One host" : `${one.remaining} hosts`} may still enrol, for{" "}
                  {spokenDuration(one.endsAt - machineMs)}; by {one.madeBy}
                </span>
                <Button type="submit" aria-label={`End enrolment code ${one.id}`}>
                  End
                </Button>
              </Form>
            </li>
          ))}
        </ul>
      ) : null}
    </div>
  );
}
