import type { z } from "zod";
import type { AnyFacts } from "#core/telling/facts";
import type { Message } from "#core/telling/template";
import type { Access } from "../../vault/kinds";

/** A picture that goes with a message. */
export interface Picture {
  /** Its name in the message. */
  cid: string;
  title: string;
  png: Buffer;
}

/** A message that is complete and has only to be handed over. */
export interface Outgoing {
  /** The same for every try of a message, so that who gets it twice can tell. */
  name: string;
  /** Name of the first message of its thread; null for that one. */
  thread: string | null;
  to: { address: string; name: string };
  message: Message;
  pictures: readonly Picture[];
  facts: AnyFacts;
  /** Which one of its thread it is, from 1. */
  version: number;
  atMs: number;
}

/** How handing over went. */
export interface Handed {
  /** Sent; worth another try later; refused for good. */
  outcome: "sent" | "retry" | "refused";
  /** What the other side said, word by word, or why there was no answer. */
  answer: string;
  /** How long the other side asked to be left alone. */
  waitMs?: number;
}

/** A way of telling; a new one is a file with this and a line in the registry. */
export interface Way {
  kind: string;
  label: string;
  /** What it does, as a sentence. */
  words: string;
  /** Of the form; each field with `.meta({ title, description })`. */
  settings: z.ZodObject;
  /** Kinds of credentials that it can sign in or sign with. */
  credentials: readonly string[];
  /** Whether people have an address of their own in it. */
  isPersonal: boolean;
  /** Host that is called, for what credentials and guards are bound to; null where nothing is called. */
  hostOf(settings: Record<string, unknown>): string | null;
  /** Where it goes when nobody in particular is told; null where it needs somebody. */
  addressOf(settings: Record<string, unknown>): string | null;
  /** What is wrong besides what the schema says, by field. */
  problems?(settings: Record<string, unknown>): Record<string, string>;
  send(outgoing: Outgoing, settings: Record<string, unknown>, access: Access | undefined): Promise<Handed>;
}
