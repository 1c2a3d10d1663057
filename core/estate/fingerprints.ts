import { z } from "zod";
import type { OpenPort, SoftwareRow } from "./sighting";

/**
 * What a clue is read from. Texts of one port: what it says by itself (`banner`), answers to a question of ours
 * (`answer`), its own refusal of what is no HTTP (`refusal`, which no proxy
 * passes on), the HTTP field Server (`server`), the title of its page (`title`), the whole head and page (`page`), subject
 * and issuer of its certificate (`certificate`). Of a process: `process`, `path`, `package`. Of a host: `object-id`,
 * `description`.
 */
export const CLUES = [
  "package",
  "path",
  "process",
  "banner",
  "answer",
  "refusal",
  "server",
  "page",
  "title",
  "certificate",
  "object-id",
  "description",
] as const;
export type Clue = (typeof CLUES)[number];

const pattern = z
  .string()
  .min(1)
  .refine(
    (text) => {
      try {
        return new RegExp(text, "s") instanceof RegExp;
      } catch {
        return false;
      }
    },
    { error: "This is no regular expression." },
  );

/** A question that makes a program which waits for its client say what it is, without signing in. */
const askSchema = z.strictObject({
  /** Octets as text, "\\r\\n" and "\\x00" meant as such. */
  send: z.string().min(1).max(400),
  ports: z.array(z.int().min(1).max(65_535)).min(1),
});

export const fingerprintSchema = z.strictObject({
  product: z.string().min(1).max(60),
  /** Kind of component; left out where the product does not tell. */
  kind: z.string().optional(),
  ask: askSchema.optional(),
  clues: z
    .array(
      z.strictObject({
        on: z.enum(CLUES),
        pattern,
        /** Regular expressions are not for people: what they name is found by these words alone. */
        literally: z.boolean().optional(),
      }),
    )
    .min(1),
  /** Lines that must be recognised, with the version that is read from them; checked by a test. */
  lines: z.array(z.strictObject({ on: z.enum(CLUES), text: z.string(), version: z.string().optional() })),
});
export type Fingerprint = z.infer<typeof fingerprintSchema>;

export interface Question {
  id: string;
  octets: Uint8Array;
  ports: readonly number[];
}

export interface Identified {
  product: string;
  version: string | undefined;
  kind: string | undefined;
  /** "its banner says “SSH-2.0-OpenSSH_9.2”". */
  reason: string;
  on: Clue;
}

/** Texts of one thing, by what they are clues of. */
export type Texts = Partial<Record<Clue, readonly string[]>>;

interface Compiled {
  fingerprint: Fingerprint;
  /** How it is known in answers to questions. */
  id: string;
  clues: { on: Clue; find: (text: string) => { version: string | undefined } | undefined }[];
}

const CLUE_WORDS: Readonly<Record<Clue, string>> = {
  package: "its package is",
  path: "it runs from",
  process: "its process is called",
  banner: "its banner says",
  answer: "asked, it answers",
  refusal: "it refuses what is no HTTP with",
  server: "HTTP says it is",
  page: "its page says",
  title: "its page is called",
  certificate: "its certificate says",
  "object-id": "its object id is",
  description: "it describes itself as",
};

const VERSION = /\d+(?:\.\d+)+[\w.-]*/;

/** Recognises products by fingerprints: the clue that is nearest to the program itself decides. */
export class FingerprintBook {
  private readonly compiled: readonly Compiled[];

  constructor(fingerprints: Readonly<Record<string, Fingerprint>>) {
    this.compiled = Object.entries(fingerprints).map(([id, fingerprint]) => ({
      id,
      fingerprint,
      clues: fingerprint.clues.map(({ on, pattern: text, literally }) => ({
        on,
        find: literally ? literalFinder(text) : patternFinder(new RegExp(text, "s")),
      })),
    }));
  }

  get questions(): Question[] {
    return this.compiled.flatMap(({ id, fingerprint: { ask } }) =>
      ask ? [{ id, octets: octetsOf(ask.send), ports: ask.ports }] : [],
    );
  }

  /** @param answeredTo the question that `answer` texts are answers to; a fingerprint reads only those to its own */
  identify(texts: Texts, answeredTo?: string): Identified | undefined {
    for (const on of CLUES)
      for (const text of texts[on] ?? [])
        for (const one of this.compiled) {
          if (on === "answer" && one.fingerprint.ask && one.id !== answeredTo) continue;
          for (const clue of one.clues) {
            if (clue.on !== on) continue;
            const found = clue.find(text);
            if (!found) continue;
            const { product, kind } = one.fingerprint;
            return { product, kind, version: found.version, on, reason: `${CLUE_WORDS[on]} “${shown(text)}”` };
          }
        }
    return undefined;
  }
}

const shown = (text: string) =>
  text
    .replaceAll(/[^\x20-\x7e]+/g, " ")
    .trim()
    .slice(0, 60);

const patternFinder = (expression: RegExp) => (text: string) => {
  const found = expression.exec(text);
  return found ? { version: found.groups?.version ?? found[1] } : undefined;
};

const literalFinder = (words: string) => (text: string) => {
  const at = text.toLowerCase().indexOf(words.toLowerCase());
  return at < 0 ? undefined : { version: VERSION.exec(text.slice(at))?.[0] };
};

function octetsOf(send: string): Uint8Array {
  const text = send.replaceAll(/\\x([0-9a-f]{2})|\\r|\\n/gi, (sign, hex: string | undefined) =>
    hex === undefined ? (sign === "\\r" ? "\r" : "\n") : String.fromCharCode(Number.parseInt(hex, 16)),
  );
  return Uint8Array.from(text, (sign) => sign.charCodeAt(0));
}

/** What one open port shows, as texts. */
export const textsOfPort = (port: OpenPort): Texts => ({
  ...(port.banner === undefined ? {} : { banner: [port.banner] }),
  ...(port.answer === undefined ? {} : { answer: [port.answer.text] }),
  ...(port.http?.server === undefined ? {} : { server: [port.http.server] }),
  ...(port.http?.refusal === undefined ? {} : { refusal: [port.http.refusal] }),
  ...(port.http?.title === undefined ? {} : { title: [port.http.title] }),
  ...(port.http?.page === undefined ? {} : { page: [port.http.page] }),
  ...(port.tls === undefined ? {} : { certificate: [`${port.tls.subject}; issued by ${port.tls.issuer}`] }),
});

/** What the processes of a part show, as texts. */
export const textsOfRows = (rows: readonly SoftwareRow[]): Texts => ({
  path: [...new Set(rows.map((row) => row.path).filter(Boolean))],
  process: [...new Set(rows.map((row) => row.name).filter(Boolean))],
  package: [...new Set(rows.flatMap((row) => row.package ?? []))],
});

/** "halyard/2.1 (edge)" is halyard in version 2.1: how HTTP servers and many others write themselves (RFC 9110 §10.2.4). */
export function productToken(text: string): { product: string; version: string | undefined } | undefined {
  const found = /^([A-Za-z][\w.+-]{0,40})(?:\/v?(\d[\w.+-]{0,30}))?(?:\s|$)/.exec(text);
  return found?.[1] === undefined ? undefined : { product: found[1], version: found[2] };
}
