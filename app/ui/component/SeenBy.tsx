import { PLATFORM } from "#core/estate/labels";
import { dayAndTime } from "#core/time/windows";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import type { ComponentData } from "./page";

/** How deep a source looked, in words. */
const DEPTHS = [
  "from outside",
  "told of by its host",
  "its system read",
  "its system and whose each socket is",
  "everything, from within",
];

/** The sources that a component is known by: what each saw of it, and when. */
export function SeenBy({ page, nowMs }: { page: ComponentData; nowMs: number }) {
  if (page.sightings.length === 0) return null;
  return (
    <Section id="observations" title="Seen by" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Source</th>
            <th scope="col">How deep</th>
            <th scope="col">First</th>
            <th scope="col">Last</th>
          </tr>
        </thead>
        <tbody>
          {page.sightings.map((one) => (
            <tr key={one.source_id}>
              <td>
                <KeepLink to={`/discover/sources/${one.source_id}`}>{one.source}</KeepLink>
              </td>
              <td>{one.reader === PLATFORM ? "told of by its platform" : (DEPTHS[one.depth] ?? "")}</td>
              <td>{dayAndTime(one.first_at, nowMs)}</td>
              <td>{dayAndTime(one.last_at, nowMs)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
