import { z } from "zod";

export const certificateTrigger = z.strictObject({
  type: z.literal("certificate"),
  daysLeft: z.number().int().min(0).max(365).default(14),
});
export type CertificateTrigger = z.infer<typeof certificateTrigger>;

export const certificate = {
  type: "certificate",
  label: "A certificate ends soon",
  fills: ["due.process", "due.days", "due.names"],
  words: ({ daysLeft }: CertificateTrigger) => `a certificate ends within ${daysLeft} days`,
};
