import { z } from "zod";
import { endpointSchema } from "../settings";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { endpoints } from "../store/endpoints";
import { matchingRules } from "../store/resources";
import { jobWords } from "../store/jobs";
import { logFigures } from "../store/log-figures";
import { readRetention, saveRetention } from "../store/retention";
import { jobWordsSchema } from "#core/jobs/words";
import { logFigureSchema } from "#core/telemetry/log-fields";
import { INSTALLATION } from "#core/people/rights";
import { command } from "./command";

const id = z.number().int().min(1);
const span = z.number().positive();

/** What is sent to us: which component it belongs to, the endpoints that are scraped, how long it is kept. */
export const ingestCommands = {
  "matching-rule.save": command({
    right: "configure",
    about: ({ componentId }) => ({ type: "component", id: componentId }),
    state: ({ db }, { attribute, pattern }) =>
      matchingRules(db).find((rule) => rule.attribute === attribute && rule.pattern === pattern),
    input: z.strictObject({
      attribute: z.string().min(1).max(120),
      pattern: z.string().min(1).max(300),
      componentId: id,
    }),
    run: ({ ingest }, input, who) => ingest.saveMatchingRule(input, who.name),
    record: (input) =>
      `Matched senders whose ${input.attribute} fits “${input.pattern}” to component ${input.componentId}`,
  }),
  "matching-rule.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "matching-rule", id: one }),
    state: ({ db }, { id: one }) => matchingRules(db).find((rule) => rule.id === one),
    input: z.strictObject({ id: z.number().int().min(0) }),
    run: ({ ingest }, input, who) => ingest.removeMatchingRule(input.id, who.name),
    record: (input) => `Removed matching rule ${input.id}`,
  }),
  "endpoint.save": command({
    right: "configure",
    about: ({ url }) => ({ type: "endpoint", id: url }),
    state: ({ db }, { url }) => endpoints(db).find((one) => one.url === url),
    input: endpointSchema,
    run: ({ ingest }, input, who) => ingest.saveEndpoint(input, who.name),
    record: (input) => `Scrapes ${input.url} every ${input.everySeconds} s`,
  }),
  "endpoint.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "endpoint", id: one }),
    state: ({ db }, { id: one }) => endpoints(db).find((endpoint) => endpoint.id === one),
    input: z.strictObject({ id }),
    run: ({ ingest }, input, who) => ingest.removeEndpoint(input.id, who.name),
    record: (input, url) => `Stopped scraping ${url ?? `endpoint ${input.id}`}`,
  }),
  "log-figure.save": command({
    right: "configure",
    about: ({ name }) => ({ type: "log-figure", id: name }),
    state: ({ db }, { name }) => logFigures(db).find((one) => one.name === name),
    input: logFigureSchema,
    run: ({ ingest }, input, who) => ingest.saveLogFigure(input, who.name),
    record: (input) => `Made the figure “${input.name}” of logs`,
  }),
  "log-figure.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "log-figure", id: one }),
    state: ({ db }, { id: one }) => logFigures(db).find((figure) => figure.id === one),
    input: z.strictObject({ id }),
    run: ({ ingest }, input, who) => ingest.removeLogFigure(input.id, who.name),
    record: (input, name) => `Removed the figure “${name ?? input.id}” of logs`,
  }),
  "job-words.save": command({
    right: "configure",
    about: ({ begins }) => ({ type: "job-words", id: begins }),
    state: ({ db }, { begins }) => jobWords(db).find((one) => one.begins === begins),
    input: jobWordsSchema,
    run: ({ ingest }, input, who) => ingest.saveJobWords(input, who.name),
    record: (input) => `Reads runs of jobs from “${input.begins}” to “${input.ends}”`,
  }),
  "job-words.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "job-words", id: one }),
    state: ({ db }, { id: one }) => jobWords(db).find((words) => words.id === one),
    input: z.strictObject({ id }),
    run: ({ ingest }, input, who) => ingest.removeJobWords(input.id, who.name),
    record: (input, begins) => `Reads no more runs of jobs from “${begins ?? input.id}”`,
  }),
  "retention.save": command({
    right: "configure",
    about: () => INSTALLATION,
    state: ({ db }) => readRetention(db),
    input: z
      .strictObject({
        rawMs: span,
        fiveMinutesMs: span,
        hourMs: span,
        dayMs: span,
        logsMs: span,
        spansMs: span,
        historyMs: span,
      })
      .partial(),
    run: ({ db, now }, input, who) => {
      const given = Object.fromEntries(Object.entries(input).filter(([, value]) => value !== undefined));
      const next = { ...readRetention(db), ...given };
      if (!(next.rawMs <= next.fiveMinutesMs && next.fiveMinutesMs <= next.hourMs && next.hourMs <= next.dayMs))
        throw new PersonError(
          "Coarser rollups must be kept at least as long as finer ones: samples, five minutes, hours, days.",
        );
      db.transaction(() => {
        saveRetention(db, next);
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: "How long signals and history are kept was changed",
          by: who.name,
        });
      })();
    },
    record: () => "Changed how long signals and history are kept",
  }),
  "samples.import": command({
    right: "configure",
    about: ({ componentId }) => (componentId === null ? INSTALLATION : { type: "component", id: componentId }),
    input: z.strictObject({
      file: z.string().min(1).max(120),
      componentId: id.nullable(),
      series: z
        .array(
          z.strictObject({
            metric: z.string().trim().min(1).max(200),
            instance: z.string().max(200),
            unit: z.string().min(1).max(40),
            times: z.array(z.number().int().min(946_684_800_000).max(4_102_444_800_000)).max(5000),
            values: z.array(z.number().or(z.nan())).max(5000),
          }),
        )
        .max(500),
    }),
    run: ({ ingest }, input) => {
      if (input.series.some((one) => one.times.length !== one.values.length))
        throw new PersonError(
          "Part of the file could not be imported: its format is wrong. Reload the page and try again.",
        );
      return ingest.importSamples(input.file, input.componentId, input.series);
    },
    record: (input, kept) => `Imported ${kept?.samples ?? 0} samples of ${input.file}`,
  }),
};
