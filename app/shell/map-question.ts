import { z } from "zod";
import { isAttribute } from "#core/topology/attributes";
import { cardFigure } from "#core/topology/card-figures";

const id = z.coerce.number().int().min(1).optional().catch(undefined);
const steps = z.coerce.number().int().min(0).max(8).optional().catch(undefined);
const schema = z.object({
  service: z.string().max(60).catch("").default(""),
  site: z.string().max(60).catch("").default(""),
  collection: id,
  incident: id,
  around: id,
  up: steps,
  down: steps,
  a: id,
  b: id,
  only: z.enum(["all", "unwell", "changed", "marked"]).catch("all").default("all"),
  figure: z
    .string()
    .refine((value) => value === "" || cardFigure(value) !== undefined)
    .catch("")
    .default(""),
  find: z.string().max(100).catch("").default(""),
  show: z.string().max(400).catch("").default(""),
  view: z.enum(["map", "list"]).catch("map").default("map"),
});

/** Groups that can be open at once. */
const MOST_OPEN = 60;

/** What the address of a map asks for; what cannot be asked is left out. */
export function askedOf(request: Request) {
  const params = new URL(request.url).searchParams;
  const asked = schema.parse(Object.fromEntries(params));
  const by = [...new Set((params.get("by") ?? "").split(",").filter(isAttribute))].slice(0, 2);
  return { ...asked, by, open: params.getAll("open").slice(0, MOST_OPEN) };
}

/** The question to the store: one scope of those that an address may name. */
export function questionOf(asked: Omit<ReturnType<typeof askedOf>, "show" | "view">) {
  const { service, site, collection, incident, around, up, down, a, b, by, open, only, find, figure } = asked;
  const scope =
    a && b
      ? { from: a, to: b }
      : around
        ? { around, ...(up === undefined ? {} : { up }), ...(down === undefined ? {} : { down }) }
        : incident
          ? { incident }
          : site
            ? { site }
            : service
              ? { service }
              : collection
                ? { collection }
                : {};
  return { ...scope, by, open, only, find, figure };
}
