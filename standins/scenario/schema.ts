import { z } from "zod";
import { figure, host, job, load, queue, rhythm, role } from "./estate-schema";
import { drill, fault, plannedTicket } from "./fault-schema";
import { cloud, cluster, controller, manager, privateCloud } from "./platform-schema";
import { duration, name } from "./words";

/** What a process, or every switch, says in its log. */
const output = z.strictObject({
  lines: z
    .array(
      z.strictObject({
        /** Text with {number}, {id}, {address} or the name of a word list in braces. */
        text: z.string().min(1).max(300),
        severity: z.enum(["debug", "info", "notice", "warning", "error", "critical"]).default("info"),
        /** At full rhythm; with `during` and `when` at full effect. */
        perHour: z.number().min(0.001).max(3600),
        /** Said only where this fault is at work. */
        during: name.optional(),
        /** Said only while something is wrong as this process sees it. */
        when: z
          .strictObject({
            is: z.enum(["slow", "failing", "refusing", "no-room", "no-memory", "waiting"]),
            /** Of a process that it calls; of itself when left out. */
            of: z.string().optional(),
          })
          .optional(),
        /** Said only from this version of the process on. */
        fromVersion: z.string().max(20).optional(),
      }),
    )
    .max(40)
    .default([]),
});

const past = z.strictObject({ fault: name, before: duration, lasts: duration });
const upgrade = z.strictObject({ host: name, process: z.string(), version: z.string().max(20), before: duration });

export const scenarioSchema = z.strictObject({
  name: z.string().min(1).max(80),
  /** What its machines say of themselves. */
  organisation: z.strictObject({ domain: z.string().regex(/^[a-z0-9.-]{3,60}$/), maker: z.string().min(1).max(40) }),
  seed: z.number().int(),
  snmpPort: z.number().int().min(1024).max(65_535),
  sshPort: z.number().int().min(1024).max(65_535),
  sites: z
    .array(
      z.strictObject({
        id: name,
        name: z.string().max(60),
        network: z.string(),
        community: z.string().min(1).max(60),
        contact: z.string().max(80),
        /** Hardware addresses of what is on its wires and answers nobody, by their addresses. */
        strangers: z.record(z.string(), z.string().regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/)).default({}),
      }),
    )
    .min(1)
    .max(50),
  /** Site that Holotaxis looks from; the first one when left out. */
  observer: name.optional(),
  /** A name server that lets its zones be transferred: the domain's, and those of the sites' addresses. */
  names: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      /** Further names, by the address that they have: what was forgotten when a host went. */
      left: z.record(name, z.string()).default({}),
    })
    .optional(),
  /** A ticket system with a REST interface; tickets of drills' changes are in it too. */
  tickets: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      key: z.string().min(1).max(100),
      planned: z.array(plannedTicket).max(500).default([]),
    })
    .optional(),
  /** A door for administrators on every Linux host: HTTP with a token. */
  admin: z.strictObject({ port: z.number().int().min(1024).max(65_535), token: z.string().min(1).max(100) }).optional(),
  /** Where messages arrive: a mail server and a receiver of webhooks. */
  mail: z
    .strictObject({
      address: z.string(),
      port: z.number().int().min(1024).max(65_535),
      webhookPort: z.number().int().min(1024).max(65_535),
      user: z.string().min(1).max(60),
      password: z.string().min(1).max(100),
    })
    .optional(),
  /** Lines between sites; a pair that is not named has one of 1,000 Mbit/s and 1 ms. */
  links: z
    .array(
      z.strictObject({
        between: z.tuple([name, name]),
        mbps: z.number().min(1).max(1_000_000),
        ms: z.number().min(0).max(2000),
      }),
    )
    .max(200)
    .default([]),
  rhythms: z.record(name, rhythm),
  roles: z.record(name, role),
  hosts: z.array(host).min(1).max(5000),
  loads: z.array(load).max(200).default([]),
  queues: z.array(queue).max(50).default([]),
  jobs: z.array(job).max(50).default([]),
  figures: z.array(figure).max(100).default([]),
  faults: z.array(fault).max(200).default([]),
  drills: z.array(drill).max(200).default([]),
  /** Lists of words for the lines. */
  words: z.record(name, z.array(z.string().min(1).max(40)).min(1).max(50)).default({}),
  clouds: z.array(cloud).max(10).default([]),
  /** Whether hypervisors let people in by SSH too, and tell of their machines there. */
  hypervisorSsh: z.boolean().default(false),
  managers: z.array(manager).max(10).default([]),
  privateClouds: z.array(privateCloud).max(10).default([]),
  clusters: z.array(cluster).max(10).default([]),
  controllers: z.array(controller).max(500).default([]),
  /** By name of the process; "switch" for every switch. */
  outputs: z.record(name, output).default({}),
  past: z.array(past).max(200).default([]),
  upgrades: z.array(upgrade).max(200).default([]),
});

export type Scenario = z.infer<typeof scenarioSchema>;
export type ScenarioRole = Scenario["roles"][string];
export type ScenarioProcess = ScenarioRole["processes"][number];
export type ScenarioOperation = ScenarioProcess["operations"][number];
export type ScenarioTalk = ScenarioProcess["talksTo"][number];
export type ScenarioListener = ScenarioProcess["listens"][number];
export type ScenarioContainer = ScenarioRole["containers"][number];
export type ScenarioLoad = Scenario["loads"][number];
export type ScenarioJob = Scenario["jobs"][number];
export type ScenarioFigure = Scenario["figures"][number];
export type ScenarioChange = NonNullable<Scenario["faults"][number]["change"]>;
export type ScenarioFault = Scenario["faults"][number];
export type ScenarioEffect = ScenarioFault["effects"][number];
export type ScenarioRepair = ScenarioFault["endedBy"][number];
export type ScenarioDrill = Scenario["drills"][number];
export type ScenarioController = Scenario["controllers"][number];
export type ScenarioCluster = Scenario["clusters"][number];
export type ScenarioPrivateCloud = Scenario["privateClouds"][number];
export type ScenarioManager = Scenario["managers"][number];
export type ScenarioCloud = Scenario["clouds"][number];
export type ScenarioOutput = Scenario["outputs"][string];
export type Rhythm = Scenario["rhythms"][string];
