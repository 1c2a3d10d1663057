import { EstateBook } from "#core/estate/known";
import { identityKey, type Look, type Observation } from "#core/estate/observation";
import { planEstate } from "#core/estate/plan";
import { carryOut } from "#core/estate/plan.kit";
import type { Measurement } from "./measurement";

const HOSTS = 10_000;
const PARTS = 9;

const mac = (number: number) =>
  `02:5e:${[number >> 24, number >> 16, number >> 8, number].map((one) => (one & 255).toString(16).padStart(2, "0")).join(":")}`;
const address = (number: number) => `10.${number >> 16}.${(number >> 8) & 255}.${number & 255}`;

/** Hosts with what sweeps and agents know them by, each with nine processes. */
function observations(): Observation[] {
  return Array.from({ length: HOSTS }, (_, number) => {
    const name = `host-${number}.example`;
    const key = identityKey("name", name);
    const host: Observation = {
      keys: [
        identityKey("machine", `uuid-${number}`),
        identityKey("mac", mac(number)),
        key,
        identityKey("addr", address(number)),
        identityKey("addr", address(HOSTS + number)),
      ],
      kind: { is: "host.linux", reason: "", confidence: 0.95 },
      name: `host-${number}`,
      address: address(number),
      depth: 3,
      readBy: "snmp",
      facts: { address: address(number), "host name": name, processors: "4" },
    };
    const parts = Array.from({ length: PARTS }, (_part, part): Observation => ({
      keys: [
        identityKey("process", `name:${name}:service-${part}`),
        identityKey("listen", `name:${name}:${8000 + part}`),
      ],
      kind: { is: "app.process", reason: "", confidence: 0.5 },
      name: `service-${part} @ host-${number}`,
      host: { key: key.value },
      process: `service-${part}`,
      port: 8000 + part,
      depth: 3,
      readBy: "snmp",
      facts: { process: `service-${part}`, ports: String(8000 + part) },
    }));
    return [host, ...parts];
  }).flat();
}

const lookOf = (list: Observation[], atMs: number): Look => ({
  observer: { sourceId: 7, label: "", site: "Room" },
  atMs,
  sinceMs: atMs,
  observations: list,
});

/** A look of 100,000 observations, planned for an empty estate and for one that has all of it. */
export function benchPlanning(): Measurement[] {
  const list = observations();
  const began = performance.now();
  const first = planEstate(new EstateBook([], []), lookOf(list, 1));
  const fresh = (performance.now() - began) / 1000;
  if (first.changes.length !== list.length) throw new Error(`${first.changes.length} of ${list.length} were new.`);
  const book = carryOut(new EstateBook([], []), first);
  const againBegan = performance.now();
  const again = planEstate(book, lookOf(list, 2));
  const known = (performance.now() - againBegan) / 1000;
  if (again.changes.length !== 0) throw new Error(`${again.changes.length} changes by the same look.`);
  // What any planning has to do at least: find each by each of its keys.
  const plainBegan = performance.now();
  const byKey = new Map<string, number>();
  for (const [index, one] of list.entries()) for (const key of one.keys) byKey.set(key.value, index);
  let met = 0;
  for (const one of list) for (const key of one.keys) if (byKey.has(key.value)) met++;
  const reference = { name: "two maps of all keys", value: (performance.now() - plainBegan) / 1000 };
  if (met === 0) throw new Error("Nothing was met.");
  const measured = (what: string, value: number): Measurement => ({
    name: `planning of 100,000 observations, ${what}`,
    value,
    unit: "s",
    better: "lower",
    target: 3,
    reference,
  });
  return [measured("all new", fresh), measured("all known", known)];
}
