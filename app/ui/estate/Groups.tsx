import { kindInfo } from "#core/catalogue/kinds";
import type { EstateGroup } from "#server/store/estate-list";
import { filterOf, type Asked } from "../../shell/estate-filter";
import { KeepLink } from "../KeepLink";
import { columnOf } from "./columns";
import { PlainTable } from "../PlainTable";

const LABELS = new Set(["owner", "environment", "tier", "tag"]);

/** The filter that a group is, laid over the one that stands; undefined where there is none for it. */
function filterOfGroup(asked: Asked, value: string | null): string | undefined {
  if (value === null) return undefined;
  const { group } = asked;
  const base = { ...asked, group: "", page: 0 };
  if (group === "kind") return filterOf({ ...base, kind: value });
  if (group === "site") return filterOf({ ...base, site: value });
  if (LABELS.has(group)) return filterOf({ ...base, label: `${group}:${value}` });
  if (group.startsWith("fact:")) return filterOf({ ...base, fact: `${group.slice("fact:".length)}:${value}` });
  if (group === "health") return filterOf({ ...base, health: value === "cleared" ? "well" : "unwell" });
  return undefined;
}

const wordOf = (group: string, value: string | null): string =>
  value === null
    ? "none"
    : group === "kind"
      ? kindInfo(value).label
      : group === "health"
        ? value === "cleared"
          ? "well"
          : value
        : value;

/** How many fit, by an attribute; each group leads to what is in it. */
export function Groups({ groups, asked }: { groups: readonly EstateGroup[]; asked: Asked }) {
  return (
    <div className="hx-section">
      <PlainTable aria-label="Groups">
        <thead>
          <tr>
            <th scope="col">{columnOf(asked.group === "health" ? "severity" : asked.group).name}</th>
            <th scope="col" className="num">
              Components
            </th>
            <th scope="col" className="num">
              Unwell
            </th>
          </tr>
        </thead>
        <tbody>
          {groups.map((one) => {
            const filter = filterOfGroup(asked, one.value);
            const word = wordOf(asked.group, one.value);
            return (
              <tr key={one.value ?? ""}>
                <td>{filter === undefined ? word : <KeepLink to={`/estate?${filter}`}>{word}</KeepLink>}</td>
                <td className="num">{one.count.toLocaleString("en-GB")}</td>
                <td className="num">{one.unwell ? one.unwell.toLocaleString("en-GB") : "–"}</td>
              </tr>
            );
          })}
        </tbody>
      </PlainTable>
    </div>
  );
}
