import Box from "@mui/material/Box";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import { useShell } from "../../shell/window";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityLabel } from "../SeverityMark";
import type { ComponentData } from "./page";

/** Alarms of a component in the window. */
export function AlarmsHere({ page }: { page: ComponentData }) {
  const { window: now } = useShell();
  return (
    <Section id="alarms" title="Alarms in this window" pad={false}>
      {page.alarms.length ? (
        <PlainTable>
          <tbody>
            {page.alarms.map((alarm) => (
              <tr key={alarm.id}>
                <td>
                  <SeverityLabel severity={alarm.severity === "cleared" ? alarm.worst : alarm.severity} />
                </td>
                <td>{alarm.text}</td>
                <td className="line">
                  {dayAndTime(alarm.raised_at, now.nowMs)}
                  {alarm.cleared_at ? `, ${spokenDuration(alarm.cleared_at - alarm.raised_at)}` : ", still active"}
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <Box sx={{ px: 1.5 }}>
          <Empty>None.</Empty>
        </Box>
      )}
    </Section>
  );
}
