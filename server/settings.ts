import { join } from "node:path";
import { z } from "zod";
import { hasKind, ICONS, STRATA } from "#core/catalogue/kinds";
import { ROLE_IDS } from "#core/people/rights";
import { choreSchema } from "#core/repair/chore";
import { LEVEL_IDS, policySchema } from "#core/repair/policy";
import { runbookSchema } from "#core/repair/runbook";
import { jobWordsSchema } from "#core/jobs/words";
import { logFigureSchema } from "#core/telemetry/log-fields";
import type { ClockSetting } from "#core/time/clock";
import type { Schedule } from "#core/time/schedule";

/** Where things are and how the process was started; handed to every thread. */
export interface Settings {
  /** Folder of the project: migrations, kits. */
  root: string;
  /** Folder of the store and the keys. */
  data: string;
  host: string;
  /** Names by which people open the pages, and senders call the receivers. */
  publicNames: readonly string[];
  port: number;
  /** Where OTLP and syslog are received; 0 for not at all. */
  otlpPort: number;
  /** Where OTLP is received by gRPC; 0 for not at all. */
  grpcPort: number;
  syslogPort: number;
  /** Where notifications of SNMP are received; 0 for not at all. */
  trapPort: number;
  /** A token with which everything may be sent, besides those of the store. */
  receiveToken?: string;
  /** Signals are taken from everybody, without a token. */
  receiveFromAnyone?: boolean;
  /** Files of the certificate and its key; pages and OTLP are served by TLS then. */
  tls?: { cert: string; key: string };
  /** Addresses and names from which pages may be read; everything but link-local addresses without it. */
  readOnlyFrom?: string;
  /** A proxy does TLS in front, and says where requests come from. */
  behindProxy?: boolean;
  /** A code with which agents can enrol. */
  enrolCode?: string;
  clock: ClockSetting;
  /** Whether the clock was set by hand and so may differ from the machine's. */
  clockSet: boolean;
  /** The stand-ins' door; undefined on a real estate. */
  standins?: string;
  /** Description of sources and services taken in when the store is new. */
  setup?: string;
  /** How far back the stand-ins' history reaches, milliseconds. */
  historyMs: number;
}

export const storeFile = (settings: Settings) => join(settings.data, "holotaxis.db");
export const migrationsFolder = (settings: Settings) => join(settings.root, "server", "store", "migrations");
/** Where people open the pages: what links in messages begin with. */
export function originOf({ publicNames, host, port, tls, behindProxy = false }: Settings): string {
  const [name] = publicNames;
  const scheme = tls !== undefined || behindProxy ? "https" : "http";
  // A name with a port stands as it was given; a proxy in front listens on the port of its scheme.
  if (name !== undefined && (behindProxy || /:\d+$/.test(name))) return `${scheme}://${name}`;
  return `${scheme}://${name ?? (host.includes(":") ? `[${host}]` : host)}:${port}`;
}

export const secretFile = (settings: Settings) => join(settings.data, "secret.key");

/** What every source has, whatever its kind; its settings follow the schema of the kind's driver. */
export interface SourceInput {
  kind: string;
  name: string;
  site: string;
  settings: unknown;
  /** Undefined leaves the one that is kept. */
  credential?: string | undefined;
  /** Ids of credentials that it may use besides, in their order; undefined leaves them as they are. */
  credentials?: number[] | undefined;
  pollSeconds?: number | undefined;
  sweeps?: Schedule | undefined;
}

/** An address that is read; a password in it would stand in every list and log. */
const readAddress = z
  .url({ protocol: /^https?$/, error: "Give an address that begins with http:// or https://." })
  .max(300, "An address has at most 300 characters.")
  .refine((url) => {
    if (!URL.canParse(url)) return true;
    const { username, password } = new URL(url);
    return username === "" && password === "";
  }, "Leave user and password out of the address: it is shown on pages and kept in the log.");

export const serviceSchema = z.strictObject({
  uid: z.string().regex(/^[a-z][a-z0-9-]{1,40}$/, "Use small letters, digits and hyphens."),
  name: z.string().trim().min(1).max(60),
  purpose: z.string().trim().max(200).default(""),
  owner: z.string().trim().max(60).default(""),
  /** What it promises: calls answered within the limit without failing, over 30 days. */
  details: z
    .strictObject({
      serverLimitMs: z.number().int().min(1).max(999_999).optional(),
      objectivePercent: z.number().min(50).lt(100).optional(),
      figurePercent: z.number().min(1).max(1000).optional(),
      figureSide: z.enum(["most"]).optional(),
      reliesOn: z.array(z.string().max(60)).max(200).optional(),
    })
    .optional(),
  entries: z
    .array(
      z.strictObject({
        host: z.string().min(1).max(80),
        process: z.string().min(1).max(60),
        operations: z.array(z.string().min(1).max(200)).min(1).max(50).optional(),
      }),
    )
    .min(1)
    .max(20),
  figure: z
    .strictObject({
      url: readAddress,
      metric: z.string().min(1).max(80),
      label: z.string().min(1).max(60),
      unit: z.string().max(10),
      headline: z.boolean().optional(),
    })
    .optional(),
});

/** A page of OpenMetrics text that is read again and again. */
export const endpointSchema = z.strictObject({
  url: readAddress,
  everySeconds: z.coerce
    .number("Say every how many seconds it is read.")
    .int("Whole seconds, please.")
    .min(5, "Read it at most every 5 seconds.")
    .max(3600, "Read it at least once an hour.")
    .default(30),
  /** Of the vault; none for an open page. */
  credentialId: z.number().int().min(1).nullable().default(null),
  authority: z
    .string()
    .trim()
    .max(65_536, "That is too long for certificates.")
    .refine((text) => text === "" || text.startsWith("-----BEGIN CERTIFICATE-----"), "Give certificates in PEM form.")
    .default(""),
});

/** A set-up file: what a person would otherwise type in on a new installation. */
export const setupSchema = z.strictObject({
  /** How far ready policies are trusted from the start, by name; each watches only where nothing is said. */
  policies: z.record(z.string().max(80), z.enum(LEVEL_IDS)).default({}),
  /** The same of ready chores. */
  chores: z.record(z.string().max(80), choreSchema.shape.level).default({}),
  /** Runbooks of one's own, approved as they stand, and chores that run them or a ready one. */
  runbooks: z.array(runbookSchema).max(200).default([]),
  ownChores: z.array(choreSchema).max(200).default([]),
  organisation: z.string().min(1).max(80),
  /** The site at which the installation stands. */
  site: z.string().max(80).default(""),
  sources: z.array(z.looseObject({})).max(200),
  /** Filters of the estate that are kept, as its address writes them. */
  collections: z
    .array(z.strictObject({ name: z.string().min(1).max(60), filter: z.string().min(1).max(400) }))
    .max(100)
    .default([]),
  /** What costs are summed up in, what other currencies are worth, and what a month may cost. */
  spend: z
    .strictObject({
      currency: z.string().regex(/^[A-Z]{3}$/),
      rates: z.record(z.string().regex(/^[A-Z]{3}$/), z.number().positive()).default({}),
      budgets: z
        .array(
          z.strictObject({
            name: z.string().min(1).max(80),
            dimension: z.string().max(80).nullable().default(null),
            value: z.string().max(200).nullable().default(null),
            amount: z.number().positive(),
          }),
        )
        .max(100)
        .default([]),
    })
    .optional(),
  services: z.array(serviceSchema).max(500),
  endpoints: z.array(endpointSchema).max(500).default([]),
  /** Figures made of fields of log records. */
  logFigures: z.array(logFigureSchema).max(50).default([]),
  /** Lines of logs that tell of the runs of jobs. */
  jobs: z.array(jobWordsSchema).max(50).default([]),
  /** What sources may use besides their own secret; secrets as text, or in files. */
  credentials: z
    .array(
      z.strictObject({
        name: z.string().trim().min(1).max(80),
        kind: z.string().max(40),
        destinations: z.string().max(2000),
        fields: z.record(z.string(), z.string()).default({}),
        files: z.record(z.string(), z.string()).default({}),
        /** Names of sources that may use it; * for all. */
        sources: z.array(z.string()).default([]),
      }),
    )
    .max(100)
    .default([]),
  /** Who is told of what in a demonstration: see kits/setup-telling.ts. */
  telling: z.unknown().optional(),
  /** Made-up people of a demonstration, signed in by one click; a real estate takes none from a file. */
  people: z
    .array(
      z.strictObject({
        name: z.string().trim().min(2).max(60),
        role: z.enum(ROLE_IDS),
        remark: z.string().max(120).default(""),
      }),
    )
    .max(20)
    .default([]),
});
export type SetupFile = z.infer<typeof setupSchema>;

const limit = z.strictObject({
  severity: z.enum(["critical", "major", "minor", "warning"]),
  value: z.number(),
});

const words = z.string().min(1).max(80);
const kindName = z.string().regex(/^[a-z]+(\.[a-z-]+)+$/, "A kind is written like host.linux.");

/** Kinds that a kit adds to the catalogue, each like one that is there. */
const kitKind = z.strictObject({
  kind: kindName,
  like: kindName.refine(hasKind, "There is no such kind to be like."),
  label: words,
  plural: words,
  stratum: z.enum(STRATA.map((one) => one.id)).optional(),
  icon: z.enum(ICONS).optional(),
  headline: z
    .strictObject({ metric: words, word: z.string().max(20) })
    .nullable()
    .optional(),
  charts: z.array(words).max(30).optional(),
});

/** Metrics that a kit describes. */
const kitMetric = z.strictObject({
  metric: words,
  label: words,
  unit: z.string().max(20),
  instrument: z.enum(["gauge", "total", "delta"]).optional(),
  bad: z.enum(["high", "low"]).nullable().optional(),
  combine: z.enum(["sum", "mean", "max"]).optional(),
  instanceAs: z.enum(["of", "after"]).optional(),
  symptom: z.strictObject({ high: words.optional(), low: words.optional() }).optional(),
  convention: words.optional(),
});

/** All that watching one kind needs: what it is called, thresholds, runbooks and notes. */
export const kitSchema = z.strictObject({
  kinds: z.array(kitKind).default([]),
  metrics: z.array(kitMetric).default([]),
  kind: z.string().min(1).max(40),
  title: z.string().min(1).max(80),
  /** Rules of other detectors than fixed limits: their settings by the detector's own schema. */
  judged: z
    .array(
      z.strictObject({
        name: z.string().min(1).max(80),
        type: z.string().min(1).max(40),
        /** "kind:app.*" or "service:*"; the kit's own kind without it. */
        scope: z.string().optional(),
        settings: z.record(z.string(), z.unknown()),
        /** A further signal that can be switched on, where it is not. */
        isOn: z.boolean().default(true),
      }),
    )
    .default([]),
  rules: z.array(
    z.strictObject({
      name: z.string().min(1).max(80),
      metric: z.string().min(1).max(80),
      over: z.string().min(1).max(80).optional(),
      direction: z.enum(["above", "below"]),
      limits: z.array(limit).min(1).max(5),
      samples: z.number().int().min(1).max(60),
      hysteresis: z.number().min(0),
      memoryMinutes: z.number().min(1).max(1440),
      isOn: z.boolean().default(true),
    }),
  ),
  notes: z.array(
    z.strictObject({
      metric: z.string().max(80),
      title: z.string().max(80),
      lines: z.array(z.string().max(400)).min(1).max(12),
    }),
  ),
  runbooks: z.array(runbookSchema).default([]),
  /** Ready policies; each begins by watching only. */
  policies: z.array(policySchema.omit({ level: true }).extend({ level: z.literal("watch") })).default([]),
  /** Ready chores; each begins by watching only. */
  chores: z.array(choreSchema.omit({ level: true }).extend({ level: z.literal("watch") })).default([]),
});
export type Kit = z.infer<typeof kitSchema>;
