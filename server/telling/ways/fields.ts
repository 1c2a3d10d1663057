import { z } from "zod";

/** Certificates of a private authority that the other side's is held against. */
export const authority = z
  .string()
  .trim()
  .max(65_536)
  .default("")
  .refine((text) => text === "" || text.startsWith("-----BEGIN CERTIFICATE-----"), "Give certificates in PEM form.")
  .meta({
    title: "Private authority",
    description: "Certificates (PEM) that are trusted besides the known ones.",
    lines: true,
  });
