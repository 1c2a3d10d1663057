import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { ChartData } from "#core/drawing/chart";
import type { TellingRule } from "#core/telling/rule";
import { migrate, openStore, prepared } from "#server/store/database";
import { saveChannel } from "#server/store/channels";
import { NO_CONTACT, saveContact } from "#server/store/contacts";
import { affectServices, openIncident, recentIncidents } from "#server/store/incidents";
import { insertAccount } from "#server/store/people";
import { saveRotation } from "#server/store/rotations";
import { listServices, saveService } from "#server/store/services";
import { listTellingRules, saveTellingRule } from "#server/store/telling";
import { decide } from "#server/telling/decisions";
import { readDirectory } from "#server/telling/directory";
import { drawChart } from "#server/telling/picture";
import type { Measurement } from "./measurement";

const INCIDENTS = 10_000;
const RULES = 500;
const ROTATIONS = 50;
const SERVICES = 100;
const NOW = Date.UTC(2026, 2, 17, 10);

const timed = (work: () => unknown): number => {
  const began = performance.now();
  work();
  return performance.now() - began;
};
const median = (times: readonly number[]) => [...times].sort((a, b) => a - b)[Math.floor(times.length / 2)] as number;

/** Who is told of 10,000 incidents by 500 rules and 50 rotations, and a chart as a picture. */
export function benchTelling(root: string): Measurement[] {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-telling-"));
  try {
    const db = openStore(join(folder, "holotaxis.db"), "writer");
    migrate(db, join(root, "server", "store", "migrations"));
    db.transaction(() => {
      const people = Array.from({ length: 100 }, (_, index) => {
        const name = `Person ${index}`;
        const id = insertAccount(db, { name, signIn: name, role: "responder", madeBy: "bench" }, NOW);
        saveContact(db, id, { ...NO_CONTACT, mail: `p${index}@halvane.example`, browser: false });
        return id;
      });
      saveChannel(
        db,
        undefined,
        { kind: "mail", name: "Mail", settings: { host: "127.0.0.1", to: "" }, credentialId: null, isOn: true },
        "bench",
        NOW,
      );
      const rotations = Array.from({ length: ROTATIONS }, (_, index) =>
        saveRotation(
          db,
          undefined,
          {
            name: `Rotation ${index}`,
            plan: {
              zone: index % 2 ? "Europe/Lisbon" : "UTC",
              cover: null,
              holidays: ["2026-12-25"],
              layers: [
                {
                  kind: "turns",
                  name: "Weekly",
                  people: people.slice(index, index + 5),
                  startsOn: "2026-01-05",
                  handOverAt: "09:00",
                  turnDays: 7,
                  hours: null,
                  holidays: "as usual",
                },
                {
                  kind: "turns",
                  name: "Days",
                  people: people.slice(index, index + 3),
                  startsOn: "2026-01-05",
                  handOverAt: "08:00",
                  turnDays: 1,
                  hours: { days: [1, 2, 3, 4, 5], from: "08:00", to: "18:00" },
                  holidays: "off",
                },
              ],
            },
          },
          "bench",
          NOW,
        ),
      );
      for (let index = 0; index < SERVICES; index++)
        saveService(db, { uid: `s${index}`, name: `S ${index}`, purpose: "", owner: "", entries: [] }, NOW - 1);
      const services = listServices(db);
      for (let index = 0; index < RULES; index++)
        saveTellingRule(db, undefined, ruleOf(index, rotations[index % ROTATIONS] as number), "bench");
      for (let index = 0; index < INCIDENTS; index++) {
        const id = openIncident(
          db,
          { subject: `component:${index}`, title: `Incident ${index}`, severity: index % 3 ? "major" : "minor" },
          NOW - 60_000,
        );
        affectServices(db, id, [services[index % SERVICES]?.id ?? 0]);
      }
    })();
    const read = median(Array.from({ length: 5 }, () => timed(() => prepared(db, "SELECT * FROM incident").all())));
    // The delay is not over: all is weighed, nothing is written; as in nearly every tick.
    const weighed = Array.from({ length: 5 }, () =>
      timed(() =>
        db.transaction(() => decide(db, recentIncidents(db, NOW), listTellingRules(db), readDirectory(db, NOW), NOW))(),
      ),
    );
    const pictures = Array.from({ length: 21 }, () => timed(() => drawChart(CHART))).slice(1);
    const plain = Array.from({ length: 21 }, () => timed(() => JSON.stringify(CHART))).slice(1);
    db.close();
    return [
      {
        name: "who is told of 10,000 incidents, by 500 rules and 50 rotations",
        value: median(weighed),
        unit: "ms",
        better: "lower",
        target: 1000,
        reference: { name: "reading the incidents alone", value: read },
      },
      {
        name: "a chart of the house as a picture",
        value: median(pictures),
        unit: "ms",
        better: "lower",
        target: 50,
        reference: { name: "the same chart as JSON", value: median(plain) },
      },
    ];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

const ruleOf = (index: number, rotation: number): Omit<TellingRule, "id"> => ({
  name: `Rule ${index}`,
  isOn: true,
  services: [`s${index % SERVICES}`],
  sites: [],
  leastSeverity: index % 2 ? "major" : "minor",
  leastPriority: 4,
  causeKinds: [],
  hours: index % 5 ? null : { days: [1, 2, 3, 4, 5], from: "06:00", to: "20:00" },
  zone: "Europe/Lisbon",
  moments: ["opened", "worse", "cause", "resolved"],
  delayMinutes: 2,
  certainPercent: 80,
  how: "message",
  to: [{ kind: "rotation", id: rotation }],
  escalation: [{ afterMinutes: 10, to: [{ kind: "rotation", id: rotation }] }],
  sinceMs: 0,
});

const FROM = NOW - 20 * 60_000;
const CHART: ChartData = {
  seriesId: 1,
  title: "Memory used",
  owner: "nq-gate-app-02",
  metric: "memory.used",
  instance: "",
  unit: "%",
  fromMs: FROM,
  toMs: NOW,
  points: Array.from({ length: 200 }, (_, index) => {
    const value = 50 + 30 * Math.sin(index / 20);
    return [FROM + index * 6_000, value - 3, value, value + 4];
  }),
  limits: [{ severity: "critical", value: 90 }] as ChartData["limits"],
  marks: [{ atMs: NOW - 300_000, what: "alarm", severity: "critical", text: "x" }],
  legend: { min: 20, mean: 50, max: 84, last: 60, count: 200 },
  over: [],
  exemplars: [],
  band: [
    [FROM, 35, 65],
    [NOW, 36, 66],
  ],
};
