import { useState } from "react";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Attempt } from "#server/store/drills";
import { useShell } from "../../shell/window";
import { Empty, Section } from "../Page";
import { PlainButton } from "../PlainButton";
import { PlainTable } from "../PlainTable";

/** As it is kept; without the title while that is not to be known. */
export type AttemptRecord = Omit<Attempt, "drill" | "title"> & { title: string | null };

const after = (attempt: AttemptRecord, atMs: number | null) =>
  atMs === null ? "–" : spokenDuration(Math.max(0, atMs - attempt.startedAt));

function namedCell(one: AttemptRecord): string {
  if (!one.isBlind) return "in the open";
  if (one.namedAt !== null) return `${after(one, one.namedAt)}${one.tries > 1 ? `, at try ${one.tries}` : ""}`;
  return one.revealedAt === null ? "not yet" : `shown after ${one.tries === 1 ? "1 try" : `${one.tries} tries`}`;
}

/** Attempts that are shown until all are asked for. */
const FEW = 6;

/** What people practised, by person: how long until they looked, named and repaired, and over which pages. */
export function Attempts({ records }: { records: readonly AttemptRecord[] }) {
  const { window: now } = useShell();
  const people = [...new Set(records.map((one) => one.byWhom))].sort();
  const [person, setPerson] = useState("");
  const [all, setAll] = useState(false);
  const fitting = records.filter((one) => !person || one.byWhom === person);
  const shown = all ? fitting : fitting.slice(0, FEW);
  return (
    <Section
      title={`Attempts: ${records.length}`}
      pad={records.length === 0}
      aside={
        people.length > 1 ? (
          <label className="hx-caption">
            by{" "}
            <select className="hx-select" value={person} onChange={(event) => setPerson(event.target.value)}>
              <option value="">everybody</option>
              {people.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
        ) : null
      }
    >
      {records.length === 0 ? (
        <Empty>Nobody has practised yet.</Empty>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th>Started</th>
              <th>Drill</th>
              <th>By</th>
              <th>Looked at it after</th>
              <th>Named after</th>
              <th>Repaired after</th>
              <th>Pages</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((one) => (
              <Attempt key={one.id} one={one} nowMs={now.nowMs} />
            ))}
          </tbody>
        </PlainTable>
      )}
      {fitting.length > FEW ? (
        <div style={{ padding: 8 }}>
          <PlainButton onClick={() => setAll(!all)}>
            {all ? `Show the latest ${FEW}` : `Show all ${fitting.length}`}
          </PlainButton>
        </div>
      ) : null}
    </Section>
  );
}

function Attempt({ one, nowMs }: { one: AttemptRecord; nowMs: number }) {
  return (
    <tr>
      <td className="line">{dayAndTime(one.startedAt, nowMs)}</td>
      <td>{one.title ?? "Blind, not named yet"}</td>
      <td>{one.byWhom}</td>
      <td className="line">{one.isBlind ? after(one, one.noticedAt) : "–"}</td>
      <td>{namedCell(one)}</td>
      <td className="line">
        {one.endedAt === null
          ? "not yet"
          : one.endedHow === "repaired"
            ? after(one, one.endedAt)
            : `ended by hand after ${after(one, one.endedAt)}`}
      </td>
      <td>
        {one.trail.length === 0 ? (
          "–"
        ) : (
          <details>
            <summary style={{ cursor: "pointer" }}>{one.trail.length}</summary>
            <ol style={{ margin: 0, paddingLeft: 18 }}>
              {one.trail.map((step, index) => (
                <li key={index}>
                  {after(one, step.atMs)}: {step.path}
                </li>
              ))}
            </ol>
          </details>
        )}
      </td>
    </tr>
  );
}
