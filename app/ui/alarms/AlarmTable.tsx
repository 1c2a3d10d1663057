import { useState } from "react";
import { Form } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { alarmsPage } from "#server/pages/alarms";
import { KeepLink } from "../KeepLink";
import { PlainButton } from "../PlainButton";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import { SeverityLabel } from "../SeverityMark";
import { AlarmForm } from "./AlarmForm";

type Alarm = ReturnType<typeof alarmsPage>["alarms"][number];

/** The alarms that stand: acknowledged, commented, shelved here. */
export function AlarmTable({ alarms, nowMs }: { alarms: readonly Alarm[]; nowMs: number }) {
  const [open, setOpen] = useState<{ id: number; what: "shelve" | "comment" }>();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Severity</th>
          <th scope="col">On</th>
          <th scope="col">What</th>
          <th scope="col">Since</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {alarms.map((alarm) => (
          <tr key={alarm.id}>
            <td>
              <SeverityLabel severity={alarm.severity} />
            </td>
            <td style={{ maxWidth: 220 }}>
              {alarm.componentId === null ? (
                alarm.subject
              ) : (
                <KeepLink to={`/estate/${alarm.componentId}`}>{alarm.subject}</KeepLink>
              )}
            </td>
            <td style={{ maxWidth: 460 }}>
              {alarm.text}
              {alarm.quiet ? (
                <div className="hx-caption">
                  Kept quiet until {dayAndTime(alarm.quietUntil ?? nowMs, nowMs)}: {alarm.quiet}
                </div>
              ) : null}
              {alarm.comments.map((one) => (
                <div key={`${one.at}${one.text}`} className="hx-caption">
                  {one.by_whom}, {dayAndTime(one.at, nowMs)}: {one.text}
                </div>
              ))}
            </td>
            <td style={{ whiteSpace: "nowrap" }}>
              {dayAndTime(alarm.raisedAt, nowMs)}
              <div className="hx-caption">{spokenDuration(Math.max(60_000, nowMs - alarm.raisedAt))}</div>
            </td>
            <td>
              {open?.id === alarm.id ? (
                <AlarmForm what={open.what} id={alarm.id} onDone={() => setOpen(undefined)} />
              ) : (
                <Actions alarm={alarm} onOpen={(what) => setOpen({ id: alarm.id, what })} />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Actions({ alarm, onOpen }: { alarm: Alarm; onOpen: (what: "shelve" | "comment") => void }) {
  return (
    <Form method="post" style={{ display: "flex", gap: 4, whiteSpace: "nowrap" }}>
      <input type="hidden" name="id" value={alarm.id} />
      {alarm.acknowledgedBy ? (
        <span className="hx-caption">acknowledged by {alarm.acknowledgedBy}</span>
      ) : (
        <RightButton
          right="respond"
          type="submit"
          size="small"
          name="intent"
          value="acknowledge"
          aria-label={`Acknowledge: ${alarm.subject}`}
        >
          Acknowledge
        </RightButton>
      )}
      <PlainButton onClick={() => onOpen("comment")} label={`Comment: ${alarm.subject}`}>
        Comment …
      </PlainButton>
      {alarm.quiet ? null : (
        <PlainButton onClick={() => onOpen("shelve")} label={`Shelve: ${alarm.subject}`}>
          Shelve …
        </PlainButton>
      )}
    </Form>
  );
}
