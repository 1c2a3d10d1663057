import { useState } from "react";
import { Form } from "react-router";
import { clockTime, dayAndTime } from "#core/time/windows";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityLabel } from "../SeverityMark";
import { spanOf, type IncidentData } from "./page";
import { RightButton } from "../RightButton";

/** The alarms grouped into the incident, each with why; what has nothing to do with the others is split off. */
export function Alarms({ page }: { page: IncidentData }) {
  const { window: now } = useShell();
  const [chosen, choose] = useState<readonly number[]>([]);
  const canSplit = page.thenMs === null && page.alarms.length > 1 && page.incident.merged_into === null;
  return (
    <Section
      title={`Alarms: ${page.alarms.length}`}
      pad={false}
      aside={
        canSplit && chosen.length ? (
          <Form method="post" onSubmit={() => choose([])}>
            <input type="hidden" name="alarms" value={chosen.join(",")} />
            <RightButton right="respond" type="submit" name="intent" value="split" variant="outlined" size="small">
              {`Split off ${chosen.length}`}
            </RightButton>
          </Form>
        ) : null
      }
    >
      <PlainTable>
        <tbody>
          {page.alarms.map((alarm) => (
            <tr key={alarm.id}>
              {canSplit ? (
                <td className="top">
                  <input
                    type="checkbox"
                    aria-label={`Choose: ${alarm.subject}: ${alarm.text}`}
                    checked={chosen.includes(alarm.id)}
                    onChange={(event) =>
                      choose(event.target.checked ? [...chosen, alarm.id] : chosen.filter((one) => one !== alarm.id))
                    }
                  />
                </td>
              ) : null}
              <td className="top">
                <SeverityLabel severity={alarm.severity} />
              </td>
              <td>
                {alarm.component_id === null ? (
                  alarm.subject
                ) : (
                  <KeepLink to={`/estate/${alarm.component_id}?${spanOf(page)}`}>{alarm.subject}</KeepLink>
                )}
                : {alarm.text}
                <Caption>
                  raised {dayAndTime(alarm.raised_at, now.nowMs, true)}
                  {alarm.cleared_at ? `, cleared ${clockTime(alarm.cleared_at, true)}` : ""}
                  {alarm.acknowledged_by ? ` · acknowledged by ${alarm.acknowledged_by}` : ""}. Grouped here because{" "}
                  {alarm.why}.
                </Caption>
                {page.thenMs === null && alarm.cleared_at === null && !alarm.acknowledged_by ? (
                  <Form method="post">
                    <input type="hidden" name="alarmId" value={alarm.id} />
                    <RightButton
                      right="respond"
                      type="submit"
                      name="intent"
                      value="acknowledge"
                      variant="text"
                      sx={{ p: 0, minWidth: 0 }}
                    >
                      Acknowledge
                    </RightButton>
                  </Form>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
