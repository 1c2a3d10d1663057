import { useState } from "react";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Oddity } from "#server/pages/unusual";
import { KeepLink } from "../KeepLink";
import { PlainButton } from "../PlainButton";
import { PlainTable } from "../PlainTable";
import { Rows } from "../Rows";
import { ExpectForm } from "./ExpectForm";

const MINUTE_MS = 60_000;

/** Where an oddity is looked at: its chart about the instant, its calls, or the records of a pattern. */
function evidenceOf(one: Oddity): { to: string; label: string }[] {
  const around = `from=${new Date(one.onsetMs - 15 * MINUTE_MS).toISOString()}&to=${new Date(one.onsetMs + 15 * MINUTE_MS).toISOString()}`;
  const links: { to: string; label: string }[] = [];
  if (one.seriesId !== null)
    links.push({ to: `/signals/metrics?line=series~${one.seriesId}&${around}`, label: "Chart" });
  if (one.what === "pattern") links.push({ to: `/signals/logs?pattern=${one.patternId}&${around}`, label: "Records" });
  if (one.what === "calls" && one.subject.type === "component")
    links.push({ to: `/signals/traces?component=${one.subject.id}&${around}`, label: "Calls" });
  if (one.subject.type === "component") {
    links.push({ to: `/signals/logs?component=${one.subject.id}&${around}`, label: "Logs" });
    links.push({ to: `/map?show=c${one.subject.id}&around=${one.subject.id}&${around}`, label: "Neighbours" });
  }
  return links;
}

const ruleOf = (one: Oddity): string | undefined =>
  one.what === "figure"
    ? `/setup/rules/new?detector=usual&metric=${encodeURIComponent(one.metric)}${one.subject.type === "service" ? `&scope=${encodeURIComponent(`service:${one.services[0] ?? "*"}`)}` : ""}`
    : one.what === "calls"
      ? "/setup/rules/new?detector=calls"
      : undefined;

/** Oddities, each with what opens on it, a rule made from it, and a way to say that it is expected. */
export function OddityTable({ oddities, nowMs }: { oddities: readonly Oddity[]; nowMs: number }) {
  const [open, setOpen] = useState<string>();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col" className="num">
            Score
          </th>
          <th scope="col">On</th>
          <th scope="col">What</th>
          <th scope="col">Began</th>
          <th scope="col">Evidence</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        <Rows rows={oddities} columns={6}>
          {(one) => (
            <tr key={one.key}>
              <td className="num">{Math.round(one.score)}</td>
              <td style={{ maxWidth: 220 }}>
                {one.subject.type === "component" ? (
                  <KeepLink to={`/estate/${one.subject.id}`}>{one.subject.name}</KeepLink>
                ) : one.subject.type === "service" ? (
                  <KeepLink to={`/services/${one.services[0] ?? ""}`}>{one.subject.name}</KeepLink>
                ) : (
                  "unmatched sender"
                )}
                {one.isAlarm ? <div className="hx-caption">in alarm</div> : null}
              </td>
              <td style={{ maxWidth: 460 }}>{one.text}</td>
              <td style={{ whiteSpace: "nowrap" }}>
                {dayAndTime(one.onsetMs, nowMs)}
                <div className="hx-caption">
                  {one.endedMs === null
                    ? one.what === "pattern"
                      ? ""
                      : "still so"
                    : `for ${spokenDuration(Math.max(MINUTE_MS, one.endedMs - one.onsetMs))}`}
                </div>
              </td>
              <td>
                {evidenceOf(one).map(({ to, label }, index) => (
                  <span key={label}>
                    {index ? " · " : ""}
                    <KeepLink to={to}>{label}</KeepLink>
                  </span>
                ))}
              </td>
              <td style={{ whiteSpace: "nowrap" }}>
                {ruleOf(one) ? <KeepLink to={ruleOf(one) as string}>Make a rule</KeepLink> : null}
                {one.what === "figure" && one.subject.type !== "other" ? (
                  open === one.key ? (
                    <ExpectForm oddity={one} onDone={() => setOpen(undefined)} />
                  ) : (
                    <>
                      {" · "}
                      <PlainButton onClick={() => setOpen(one.key)} label={`Expected: ${one.subject.name}`}>
                        Expected …
                      </PlainButton>
                    </>
                  )
                ) : null}
              </td>
            </tr>
          )}
        </Rows>
      </tbody>
    </PlainTable>
  );
}
