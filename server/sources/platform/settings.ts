import { z } from "zod";

/** Certificates of a private authority, as sources of platforms ask for them. */
export const authorityText = z
  .string()
  .trim()
  .max(65_536, "That is too long for certificates.")
  .refine((text) => text === "" || text.startsWith("-----BEGIN CERTIFICATE-----"), "Give certificates in PEM form.")
  .default("")
  .meta({
    title: "Private authority",
    description: "Certificates (PEM) that its certificate is signed by. Empty for the public ones.",
    lines: true,
  });
