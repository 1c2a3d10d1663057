import { Form } from "react-router";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

type Part = NonNullable<Answer<"kit">>["parts"][number];

const STANDING = {
  same: "as in the kit",
  own: "changed here",
  newer: "changed here; the kit has an update",
  removed: "removed here",
} as const;
const PAGE = { rule: "/setup/rules", policy: "/runbooks/policies", chore: "/runbooks/housekeeping" } as const;

/** Rules, policies or chores of a kit, each beside what was made of it here. */
export function KitParts({ title, parts }: { title: string; parts: readonly Part[] }) {
  if (parts.length === 0) return null;
  return (
    <Section title={`${title}: ${parts.length}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Definition here</th>
            <th scope="col">Compared with the kit</th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((one) => (
            <tr key={one.name}>
              <td className="top">
                {one.id === null ? one.name : <KeepLink to={`${PAGE[one.part]}/${one.id}`}>{one.name}</KeepLink>}
                <div className="hx-caption">{stateOf(one)}</div>
              </td>
              <td className="top" style={{ maxWidth: 380 }}>
                {one.words ?? (one.part === "rule" ? "nothing" : null)}
                <Differences part={one} />
              </td>
              <td className="top">{STANDING[one.standing]}</td>
              <td className="top">{one.standing === "same" ? null : <Actions part={one} />}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

function stateOf({ id, isOn, level }: Part): string {
  if (id === null) return "";
  return isOn ? (level ?? "on") : "off";
}

/** What the kit says where what is here says otherwise. */
function Differences({ part }: { part: Part }) {
  if (part.standing === "same") return null;
  if (part.standing === "removed") return part.kitWords ? <div>The kit: {part.kitWords}</div> : null;
  return (
    <ul className="hx-plain-list">
      {part.differences.map(({ field, before, after }) => (
        <li key={field}>
          {field}: <strong>{after}</strong> here, {before} in the kit
        </li>
      ))}
    </ul>
  );
}

function Actions({ part }: { part: Part }) {
  return (
    <Form method="post" style={{ display: "flex", gap: 4, flexWrap: "wrap" }}>
      <input type="hidden" name="part" value={part.part} />
      <input type="hidden" name="name" value={part.name} />
      <RightButton
        right="configure"
        type="submit"
        size="small"
        name="what"
        value="take"
        aria-label={`Use the kit's version: ${part.name}`}
      >
        Use the kit's version
      </RightButton>
      {part.standing === "newer" ? (
        <RightButton
          right="configure"
          type="submit"
          size="small"
          name="what"
          value="keep"
          aria-label={`Keep mine: ${part.name}`}
        >
          Keep mine
        </RightButton>
      ) : null}
    </Form>
  );
}
