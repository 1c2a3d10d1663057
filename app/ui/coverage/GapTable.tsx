import { useState } from "react";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainButton } from "../PlainButton";
import { PlainTable } from "../PlainTable";

type Group = Answer<"coverage">["groups"][number];

/** Of a long list so many are shown first. */
const FIRST = 8;

/** Gaps of one sort, each with the step that mends it. */
export function GapTable({ group }: { group: Group }) {
  const [all, setAll] = useState(false);
  const shown = all ? group.gaps : group.gaps.slice(0, FIRST);
  return (
    <Section title={`${group.title}: ${group.total}`} aside={group.about} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col" style={{ width: 220 }}>
              Where
            </th>
            <th scope="col">What is known</th>
            <th scope="col" style={{ width: 180 }}>
              Step
            </th>
          </tr>
        </thead>
        <tbody>
          {shown.map((gap, index) => (
            <tr key={`${gap.what} ${index}`}>
              <td>
                {gap.componentId === null ? (
                  gap.what
                ) : (
                  <KeepLink to={`/estate/${gap.componentId}`}>{gap.what}</KeepLink>
                )}
              </td>
              <td>{gap.detail}</td>
              <td>{gap.step ? <KeepLink to={gap.step.to}>{gap.step.text}</KeepLink> : "–"}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {group.gaps.length > FIRST ? (
        <div style={{ padding: "6px 12px" }}>
          <PlainButton onClick={() => setAll(!all)}>{all ? "Show fewer" : `Show all ${group.gaps.length}`}</PlainButton>
        </div>
      ) : null}
    </Section>
  );
}
