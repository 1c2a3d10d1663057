import { patternOfName } from "../topology/application";

/** One of several things that ought to be alike: what it has, by group and item, with a value. */
export interface Sibling {
  id: number;
  /** Group, such as "processes", to item, to value; an item without a value of its own has "yes". */
  traits: ReadonlyMap<string, ReadonlyMap<string, string>>;
}

/** One line of the comparison: what each sibling has of one item, null where it lacks it. */
export interface SiblingRow {
  group: string;
  item: string;
  values: (string | null)[];
  /** What more than half of them have, null being the lack of it; undefined where they have no majority. */
  usual: string | null | undefined;
  /** Places of those that differ from the usual. */
  odd: number[];
}

export interface SiblingComparison {
  /** Rows in which not all are alike. */
  rows: SiblingRow[];
  /** Items in which all are alike. */
  alike: number;
  /** Of each sibling, in how many rows it differs from the usual. */
  differs: number[];
  /** Place of the one that differs most, and clearly more than all others; null where there is none. */
  odd: number | null;
}

/** The odd one differs in at least so many rows more than anyone else. */
const CLEARLY = 1;

/**
 * Compares things that ought to be alike, item by item. What more than half have is usual; with two, nobody can be said
 * to be the odd one.
 * @param light groups whose differences are shown and do not make anyone odd
 */
export function compareSiblings(
  siblings: readonly Sibling[],
  light: ReadonlySet<string> = new Set(),
): SiblingComparison {
  const rows: SiblingRow[] = [];
  const differs = siblings.map(() => 0);
  let alike = 0;
  const groups = new Map<string, Set<string>>();
  for (const { traits } of siblings)
    for (const [group, items] of traits) {
      const known = groups.get(group) ?? new Set<string>();
      groups.set(group, known);
      for (const item of items.keys()) known.add(item);
    }
  for (const [group, items] of groups)
    for (const item of [...items].sort((a, b) => a.localeCompare(b))) {
      const values = siblings.map(({ traits }) => traits.get(group)?.get(item) ?? null);
      const counts = new Map<string | null, number>();
      for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
      if (counts.size === 1) {
        alike++;
        continue;
      }
      const most = [...counts].find(([, count]) => count > siblings.length / 2);
      const odd = most ? values.flatMap((value, place) => (value === most[0] ? [] : [place])) : [];
      if (!light.has(group)) for (const place of odd) differs[place] = (differs[place] as number) + 1;
      rows.push({ group, item, values, usual: most ? most[0] : undefined, odd });
    }
  const [first = 0, second = 0] = [...differs].sort((a, b) => b - a);
  const odd = siblings.length > 2 && first >= second + CLEARLY ? differs.indexOf(first) : null;
  // What only the odd one has or lacks comes first: it is what one looks for.
  const rank = (row: SiblingRow) =>
    odd !== null && row.odd.length === 1 && row.odd[0] === odd ? 0 : row.odd.length ? 1 : 2;
  const order = [...groups.keys()];
  rows.sort(
    (a, b) => rank(a) - rank(b) || order.indexOf(a.group) - order.indexOf(b.group) || a.item.localeCompare(b.item),
  );
  return { rows, alike, differs, odd };
}

/** As much of a component as tells of its siblings. */
export interface Likeness {
  id: number;
  kind: string;
  name: string;
  label: string | null;
  host_id: number | null;
}

/** Share of programs that two hosts have in common to be siblings. */
const ALIKE = 0.5;

const labelOf = ({ label, name }: Likeness) => label ?? name;

/**
 * Those that ought to be like one of them, itself included: a program on other hosts; hosts that run much the same
 * programs, or are named alike, the likest first.
 * @param parts programs by host
 */
export function siblingsAmong<One extends Likeness>(
  own: One,
  rows: readonly One[],
  parts: ReadonlyMap<number, readonly One[]>,
): One[] {
  if (own.host_id !== null)
    return rows.filter((row) => row.host_id !== null && row.kind === own.kind && labelOf(row) === labelOf(own));
  const programs = (row: One) => new Set((parts.get(row.id) ?? []).map(labelOf));
  const mine = programs(own);
  const shared = (row: One): number => {
    const theirs = programs(row);
    const both = [...mine].filter((label) => theirs.has(label)).length;
    const all = new Set([...mine, ...theirs]).size;
    return all ? both / all : 0;
  };
  return rows
    .filter((row) => row.host_id === null && row.kind === own.kind)
    .map((row) => ({ row, share: shared(row), named: patternOfName(row.name) === patternOfName(own.name) }))
    .filter(({ share, named }) => share >= ALIKE || named)
    .sort((a, b) => Number(b.named) - Number(a.named) || b.share - a.share || a.row.name.localeCompare(b.row.name))
    .map(({ row }) => row);
}
