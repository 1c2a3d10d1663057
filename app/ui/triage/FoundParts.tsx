import type { Key, ReactNode } from "react";
import { logLevel } from "#core/telemetry/log-levels";
import { clockTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { iso } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";

export type Found = Extract<Answer<"triage">, { causes: unknown }>;

/** What was found round a complaint: what may be behind it, and what was unusual, changed, said and open then. */
export function FoundParts({ page }: { page: Found }) {
  const span = `from=${iso(page.fromMs)}&to=${iso(page.toMs)}`;
  return (
    <div
      style={{ display: "grid", gap: 12, gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)", alignItems: "start" }}
    >
      <Causes causes={page.causes} span={span} />
      <div style={{ display: "grid", gap: 12 }}>
        <Unusual page={page} span={span} />
        <Listed
          title="Changes just before"
          rows={page.changes}
          keyOf={(one) => one.id}
          lead={(one) => clockTime(one.at)}
          caption={(one) => (one.standing === "none" ? "without a ticket" : (one.ref ?? "no ticket needed"))}
        >
          {(one) => one.summary}
        </Listed>
        <Listed
          title="Logs: new or much more frequent"
          rows={page.logs}
          keyOf={(one) => `${one.patternId} ${one.componentId}`}
          lead={(one) => one.count}
          caption={(one) => `${one.component}, ${logLevel(one.severity)}`}
        >
          {(one) => (
            <KeepLink to={`/signals/logs?pattern=${one.patternId}&component=${one.componentId}&${span}`}>
              {one.text}
            </KeepLink>
          )}
        </Listed>
        {page.incidents.length ? (
          <Section title="Incidents open then">
            {page.incidents.map((one) => (
              <div key={one.id}>
                <KeepLink to={`/incidents/${one.id}`}>{one.title}</KeepLink>
              </div>
            ))}
          </Section>
        ) : null}
      </div>
    </div>
  );
}

function Causes({ causes, span }: { causes: Found["causes"]; span: string }) {
  return (
    <Section title="What may be behind it" pad={false}>
      {causes.length ? (
        <PlainTable>
          <tbody>
            {causes.map((cause) => (
              <tr key={cause.name}>
                <td className="num top" style={{ whiteSpace: "nowrap" }}>
                  {Math.max(1, Math.round(cause.probability * 100))} %
                </td>
                <td>
                  {cause.componentId === null ? (
                    cause.name
                  ) : (
                    <KeepLink to={`/estate/${cause.componentId}?${span}`} strong={cause.isRoot}>
                      {cause.name}
                    </KeepLink>
                  )}
                  <Caption>{cause.reasons.join("; ")}</Caption>
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <div className="hx-pad">
          <Empty>Nothing it relies on was unusual then. Try a moment earlier or later.</Empty>
        </div>
      )}
    </Section>
  );
}

function Unusual({ page, span }: { page: Found; span: string }) {
  return (
    <Section title={`Unusual: ${page.odd.length + page.alarms.length}`} pad={false}>
      <PlainTable>
        <tbody>
          {page.alarms.map((one) => (
            <tr key={`a${one.id}`}>
              <td className="top">{clockTime(one.onset_at)}</td>
              <td>
                {one.subject}: {one.text}
                <Caption>alarm, {one.worst}</Caption>
              </td>
            </tr>
          ))}
          {page.odd.map((one) => (
            <tr key={one.id}>
              <td className="top">{clockTime(one.onsetMs)}</td>
              <td>
                {one.componentId === null ? (
                  one.name
                ) : (
                  <KeepLink to={`/estate/${one.componentId}?${span}`}>{one.name}</KeepLink>
                )}
                : {one.text}
                <Caption>score {Math.round(one.score)}</Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

interface ListedProps<Row> {
  title: string;
  rows: readonly Row[];
  keyOf: (row: Row) => Key;
  lead: (row: Row) => ReactNode;
  caption: (row: Row) => string;
  children: (row: Row) => ReactNode;
}

/** Rows with a time or a number before them and a line below; nothing where there are none. */
function Listed<Row>({ title, rows, keyOf, lead, caption, children }: ListedProps<Row>) {
  if (rows.length === 0) return null;
  return (
    <Section title={title} pad={false}>
      <PlainTable>
        <tbody>
          {rows.map((row) => (
            <tr key={keyOf(row)}>
              <td className={typeof lead(row) === "number" ? "num top" : "top"}>{lead(row)}</td>
              <td>
                {children(row)}
                <Caption>{caption(row)}</Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
