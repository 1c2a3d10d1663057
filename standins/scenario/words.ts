import { z } from "zod";
import { parseDurationMs } from "#core/time/windows";

export const name = z
  .string()
  .regex(/^[a-z][a-z0-9-]{0,40}$/, "use small letters, digits and hyphens, starting with a letter");
export const duration = z
  .string()
  .refine((text) => parseDurationMs(text) !== undefined, "write an ISO 8601 duration such as P2DT3H or PT40M");
export const share = z.number().min(0).max(1);
export const count = z.number().int().min(1);
export const sentence = z.string().min(1).max(400);
