import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

/** Which lines of the logs tell of the runs of batch jobs. */
export function JobWords({ words, nowMs }: { words: Answer<"signalsSetup">["jobWords"]; nowMs: number }) {
  return (
    <Section title={`Jobs in logs: ${words.length}`}>
      <Stack sx={{ gap: 1 }}>
        {words.length ? (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Job</th>
                <th scope="col">A run begins</th>
                <th scope="col">It is done</th>
                <th scope="col">It failed</th>
                <th scope="col">Made</th>
                <th scope="col">Actions</th>
              </tr>
            </thead>
            <tbody>
              {words.map((one) => (
                <tr key={one.id}>
                  <td>{one.name || "as the line says"}</td>
                  <td style={{ overflowWrap: "anywhere" }}>{one.begins}</td>
                  <td style={{ overflowWrap: "anywhere" }}>{one.ends}</td>
                  <td style={{ overflowWrap: "anywhere" }}>{one.fails}</td>
                  <td>
                    {one.madeBy}, {dayAndTime(one.madeAt, nowMs)}
                  </td>
                  <td>
                    <Form method="post">
                      <input type="hidden" name="what" value="removeJobs" />
                      <input type="hidden" name="id" value={one.id} />
                      <RightButton right="configure" type="submit" color="error" aria-label={`Remove “${one.begins}”`}>
                        Remove
                      </RightButton>
                    </Form>
                  </td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        ) : null}
        <Form method="post">
          <input type="hidden" name="what" value="jobs" />
          <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
            <TextField name="begins" label="Line that begins a run" placeholder="Job {job} begun" sx={{ flex: 1 }} />
            <TextField name="ends" label="Line that ends it" placeholder="Job {job} done" sx={{ flex: 1 }} />
            <TextField name="fails" label="Line that tells it failed" placeholder="Job {job} failed" sx={{ flex: 1 }} />
            <TextField name="name" label="Job, if no line names it" sx={{ width: 210 }} />
            <RightButton right="configure" type="submit" variant="outlined">
              Read jobs
            </RightButton>
          </Stack>
          <p className="hx-caption" style={{ margin: "6px 0 0" }}>
            {"{job}"} stands for the name of the job, * for anything. The logs of the last five weeks are read at once.{" "}
            <KeepLink to="/estate/jobs">Jobs</KeepLink> lists what was found.
          </p>
        </Form>
      </Stack>
    </Section>
  );
}
