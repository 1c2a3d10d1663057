import { z } from "zod";
import { name } from "./words";

const cloudPlace = { name, region: name, tags: z.record(z.string().max(60), z.string().max(120)).default({}) };

/** A cloud that some of the machines are rented from, with an interface of its own shape. */
export const cloud = z.strictObject({
  name,
  title: z.string().max(60),
  shape: z.enum(["altoform", "veldtline"]),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  account: z.strictObject({ id: z.string().max(60), name: z.string().max(60) }),
  /** What those who may read it sign in with. */
  reader: z.strictObject({ id: z.string().max(60), secret: z.string().max(120) }),
  /** Requests it answers in a minute before it says no. */
  perMinute: z.number().int().min(1).default(3000),
  regions: z
    .array(z.strictObject({ id: name, name: z.string().max(60), zones: z.array(name).min(1).max(6) }))
    .min(1)
    .max(20),
  /** Hosts of the estate that are instances there. */
  instances: z
    .array(
      z.strictObject({
        host: name,
        region: name,
        zone: name,
        size: z.string().max(40),
        image: z.string().max(60),
        tags: z.record(z.string().max(60), z.string().max(120)).default({}),
      }),
    )
    .max(200),
  /** In front of a process on the instances of a role. */
  balancers: z
    .array(z.strictObject({ ...cloudPlace, role: name, process: z.string(), port: z.number().int() }))
    .max(40)
    .default([]),
  buckets: z
    .array(
      z.strictObject({
        ...cloudPlace,
        sizeGiB: z.number().min(0),
        growGiBPerDay: z.number().min(0).default(0),
        /** Requests follow this process and operation. */
        process: z.string().optional(),
        operation: z.string().optional(),
      }),
    )
    .max(60)
    .default([]),
  databases: z
    .array(
      z.strictObject({
        ...cloudPlace,
        engine: z.string().max(40),
        size: z.string().max(40),
        storageGiB: z.number().min(1),
        usedPercent: z.number().min(0).max(100),
        process: z.string().optional(),
        operation: z.string().optional(),
      }),
    )
    .max(60)
    .default([]),
  functions: z
    .array(
      z.strictObject({
        ...cloudPlace,
        runtime: z.string().max(40),
        process: z.string(),
        operation: z.string(),
        memoryMiB: z.number().min(64),
      }),
    )
    .max(60)
    .default([]),
  networks: z
    .array(z.strictObject({ ...cloudPlace, block: z.string().max(60) }))
    .max(40)
    .default([]),
  /** What it charges in, less what was agreed, and days that cost a multiple: of a resource, counted from the present back. */
  charges: z
    .strictObject({
      currency: z.string().regex(/^[A-Z]{3}$/),
      discount: z.number().min(0).max(0.9).default(0),
      surprises: z
        .array(
          z.strictObject({
            of: z.string().max(80),
            daysBefore: z.number().int().min(1).max(400),
            days: z.number().int().min(1).max(60),
            times: z.number().min(0).max(1000),
          }),
        )
        .max(20)
        .default([]),
    })
    .default({ currency: "EUR", discount: 0, surprises: [] }),
  /** Further instances without anything in them, for trying how it goes with many. */
  more: z.number().int().min(0).max(20_000).default(0),
});

/** A private cloud on some of the hypervisors, with the open interfaces of such clouds. */
export const privateCloud = z.strictObject({
  name,
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  project: z.string().max(60),
  user: z.string().max(60),
  password: z.string().max(120),
  regions: z
    .array(z.strictObject({ id: name, hypervisors: z.array(name).min(1).max(100) }))
    .min(1)
    .max(20),
  /** Further instances without anything in them, for trying how it goes with many. */
  more: z.number().int().min(0).max(20_000).default(0),
});

/** A manager of some hypervisors, with an interface of its own shape. */
export const manager = z.strictObject({
  name,
  title: z.string().max(60),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  key: z.string().max(120),
  clusters: z
    .array(z.strictObject({ id: name, name: z.string().max(60), hypervisors: z.array(name).min(1).max(100) }))
    .min(1)
    .max(20),
});

/** A container cluster on some of the machines, with its own interface. */
export const cluster = z.strictObject({
  name,
  title: z.string().max(60),
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  token: z.string().min(8).max(400),
  /** Name space that its containers are in. */
  space: name,
  /** Hosts that are its nodes; their containers are its pods. */
  nodes: z.array(name).min(1).max(100),
  /** Containers of which one runs on each node. */
  daemons: z.array(name).max(20).default([]),
  /** A job that is started again and again. */
  job: z
    .strictObject({
      name,
      image: z.string().max(80),
      everyMinutes: z.number().int().min(1),
      lastsSeconds: z.number().int().min(1),
    })
    .optional(),
  /** Further pods without anything in them, and how many of them change in a second, for trying how it goes with many. */
  more: z.number().int().min(0).max(50_000).default(0),
  churnPerSecond: z.number().min(0).max(1000).default(0),
});

/** The management controller of a machine. */
export const controller = z.strictObject({
  host: name,
  address: z.string(),
  port: z.number().int().min(1024).max(65_535),
  user: z.string().min(1).max(60),
  password: z.string().min(1).max(120),
});
