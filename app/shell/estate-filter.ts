import { z } from "zod";
import type { EstateQuestion } from "#server/store/estate-list";

export const SORTS = ["name", "kind", "site", "address", "lastSeenAt", "severity"] as const;

const schema = z.object({
  q: z.string().trim().max(80).catch(""),
  kind: z.string().max(40).catch(""),
  site: z.string().max(60).catch(""),
  label: z.string().max(420).catch(""),
  fact: z.string().max(500).catch(""),
  /** Columns that are shown, in their order; empty for the usual ones. */
  cols: z
    .string()
    .max(1000)
    .transform((text) => text.split(",").filter(Boolean).slice(0, 12).join(","))
    .catch(""),
  group: z.string().max(80).catch(""),
  health: z.enum(["", "unwell", "well"]).catch(""),
  sort: z.enum(SORTS).catch("severity"),
  order: z.enum(["asc", "desc"]).catch("desc"),
  page: z.coerce.number().int().min(0).max(100_000).catch(0),
  size: z.coerce
    .number()
    .int()
    .refine((size) => [25, 50, 100].includes(size))
    .catch(25),
});
export type Asked = z.infer<typeof schema>;

/** What the address of the estate asks for. */
export const askedOf = (request: Request): Asked => schema.parse(Object.fromEntries(new URL(request.url).searchParams));

export const questionOf = (asked: Asked, atMs: number): EstateQuestion & { group: string } => ({
  atMs,
  search: asked.q,
  kind: asked.kind,
  site: asked.site,
  label: asked.label,
  fact: asked.fact,
  facts: columnsOf(asked).flatMap((one) => (one.startsWith("fact:") ? [one.slice("fact:".length)] : [])),
  group: asked.group,
  health: asked.health,
  sort: asked.sort,
  descending: asked.order === "desc",
  page: asked.page,
  pageSize: asked.size,
});

const FILTERS = ["q", "kind", "site", "label", "fact", "health", "cols", "group"] as const;

/** What stands in the columns when nobody chose any; the name stands before them always. */
export const USUAL_COLUMNS = ["kind", "site", "address", "services", "labels", "severity", "lastSeenAt"];
export const columnsOf = ({ cols }: Pick<Asked, "cols">): string[] => (cols ? cols.split(",") : USUAL_COLUMNS);

/** The filter of an address alone, as a query that always reads the same; empty for none. */
export function filterOf(asked: Asked): string {
  const params = new URLSearchParams();
  for (const name of FILTERS) if (asked[name]) params.set(name, asked[name]);
  return params.toString();
}
