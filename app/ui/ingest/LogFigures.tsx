import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { LOG_LEVEL_CHOICES, LOG_LEVEL_WORDS } from "#core/detection/logs";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

const METRIC = { distinct: "log.distinct", share: "log.share" } as const;
const MEASURE = { distinct: "different values", share: "share of each value" } as const;
const wordsOf = (level: number) =>
  LOG_LEVEL_WORDS[LOG_LEVEL_CHOICES.findIndex((one) => Number(one) === level)] ?? "any";

/** Figures of components that are made of a field of their log records, judged like any other. */
export function LogFigures({ figures, nowMs }: { figures: Answer<"signalsSetup">["figures"]; nowMs: number }) {
  return (
    <Section title={`Figures from logs: ${figures.length}`}>
      <Stack sx={{ gap: 1 }}>
        {figures.length ? (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">Field</th>
                <th scope="col">Counted</th>
                <th scope="col">Level</th>
                <th scope="col" className="num">
                  Components
                </th>
                <th scope="col">Made</th>
                <th scope="col">Actions</th>
              </tr>
            </thead>
            <tbody>
              {figures.map((one) => (
                <tr key={one.id}>
                  <td>
                    <KeepLink to={`/signals/metrics?line=metric~${METRIC[one.measure]}%3Bpick~highest%3Bcount~10`}>
                      {one.name}
                    </KeepLink>
                  </td>
                  <td style={{ overflowWrap: "anywhere" }}>{one.field}</td>
                  <td>
                    {MEASURE[one.measure]} within {one.minutes} min
                  </td>
                  <td>{wordsOf(one.level)}</td>
                  <td className="num">{one.components}</td>
                  <td>
                    {one.madeBy}, {dayAndTime(one.madeAt, nowMs)}
                  </td>
                  <td>
                    <Form method="post">
                      <input type="hidden" name="what" value="removeFigure" />
                      <input type="hidden" name="id" value={one.id} />
                      <RightButton right="configure" type="submit" color="error" aria-label={`Remove ${one.name}`}>
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
          <input type="hidden" name="what" value="figure" />
          <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
            <TextField name="name" label="Figure" sx={{ width: 200 }} />
            <TextField name="field" label="Field" placeholder="Connection from {value} accepted" sx={{ flex: 1 }} />
            <TextField name="measure" label="Count" select defaultValue="distinct" sx={{ width: 180 }}>
              <MenuItem value="distinct">different values</MenuItem>
              <MenuItem value="share">share of each value</MenuItem>
            </TextField>
            <TextField name="level" label="Level" select defaultValue="0" sx={{ width: 200 }}>
              {LOG_LEVEL_CHOICES.map((level, index) => (
                <MenuItem key={level} value={level}>
                  {LOG_LEVEL_WORDS[index]}
                </MenuItem>
              ))}
            </TextField>
            <TextField name="minutes" label="Within (min)" defaultValue="5" sx={{ width: 110 }} />
            <RightButton right="configure" type="submit" variant="outlined">
              Make the figure
            </RightButton>
          </Stack>
          <p className="hx-caption" style={{ margin: "6px 0 0" }}>
            A field is an attribute of the records by its name, or a line of text with {"{value}"} in its place. It is
            counted back over what is kept of the last fortnight, and judged against its usual on each component.
          </p>
        </Form>
      </Stack>
    </Section>
  );
}
