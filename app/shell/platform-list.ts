import { z } from "zod";
import type { PlatformQuestion } from "#server/pages/platforms";

const schema = z.object({
  list: z.string().max(40).catch(""),
  q: z.string().trim().max(80).catch(""),
  sort: z.string().max(80).catch("name"),
  order: z.enum(["asc", "desc"]).catch("asc"),
  page: z.coerce.number().int().min(0).max(100_000).catch(0),
});
export type ListAsked = z.infer<typeof schema>;

/** What the address of a platform's list asks for. */
export const listAskedOf = (request: Request): ListAsked =>
  schema.parse(Object.fromEntries(new URL(request.url).searchParams));

export const listQuestion = (
  { list, q, sort, order, page }: ListAsked,
  rest: Pick<PlatformQuestion, "id" | "atMs" | "fromMs" | "toMs" | "size">,
): PlatformQuestion => ({ group: list, search: q, sort, order, page, ...rest });
