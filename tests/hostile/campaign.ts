import { hostileDevices } from "./devices";
import { Random } from "./random";
import type { Target } from "./target";
import { WAYS, type Way } from "./ways";

export interface Outcome {
  inputs: number;
  byWay: Record<string, number>;
  crashes: number;
  faults: string[];
  /** Answers that refuse: 4xx, or partial success. */
  refusals: number;
  accepted: number;
  noAnswer: number;
  residentBeforeMb: number;
  residentMostMb: number;
  residentAfterMb: number;
}

const DOORS = [
  { door: "receivers", lanes: 24 },
  { door: "pages", lanes: 8 },
] as const;
/** Inputs before memory is first looked at: caches are filled by then. */
const WARM = 100_000;
const ADDRESSES = ["127.60.0.1", "127.60.0.2", "127.60.0.3"];

/** Has our SSH client meet what answers there. */
const TRY_SSH = {
  intent: "test",
  kind: "ssh-password",
  name: "x",
  user: "u",
  password: "p",
  destinations: ADDRESSES.join(", "),
  at: `${ADDRESSES[0]}:12290`,
};

/** A way through a door, by its share. */
function choose(random: Random, door: Way["door"]): Way {
  const ways = WAYS.filter((way) => way.door === door);
  let at = random.next() * ways.reduce((sum, way) => sum + way.share, 0);
  return ways.find((way) => (at -= way.share) < 0) ?? (ways[0] as Way);
}

/** Sends so many hostile inputs by all ways in turn, while hostile devices are swept, and sees what becomes of the server. */
export async function campaign(target: Target, seed: number, inputs: number, restMs: number): Promise<Outcome> {
  const random = new Random(seed);
  const devices = await hostileDevices(new Random(seed + 1), ADDRESSES, 11_190, 12_290);
  const outcome: Outcome = {
    inputs: 0,
    byWay: {},
    crashes: 0,
    faults: [],
    refusals: 0,
    accepted: 0,
    noAnswer: 0,
    residentBeforeMb: 0,
    residentMostMb: 0,
    residentAfterMb: 0,
  };
  const one = async (door: Way["door"]) => {
    const way = choose(random, door);
    const answer = await way.send(target, random);
    outcome.inputs++;
    outcome.byWay[way.name] = (outcome.byWay[way.name] ?? 0) + 1;
    if (!answer) return;
    if (answer.status === 0) outcome.noAnswer++;
    else if (answer.status >= 400 || answer.text.includes("partialSuccess")) outcome.refusals++;
    else outcome.accepted++;
  };
  const run = async (count: number) => {
    const end = outcome.inputs + count;
    const lane = async (door: Way["door"]) => {
      while (outcome.inputs < end && target.crashes === 0) await one(door);
    };
    await Promise.all(DOORS.flatMap(({ door, lanes }) => Array.from({ length: lanes }, () => lane(door))));
  };
  await target.form("/setup/signals", { what: "endpoint", url: devices.pageUrl, everySeconds: "5" });
  const range = { kind: "range", ranges: ADDRESSES.join(", "), ports: "12290", snmpPort: "11190", pollSeconds: "5" };
  const source = { ...range, name: "Hostile", site: "x", credential: "public", intent: "save-and-sweep" };
  await target.form("/discover/sources/new", source);
  const watch = setInterval(() => (outcome.residentMostMb = Math.max(outcome.residentMostMb, target.residentMb)), 500);
  // Devices are swept again and again meanwhile.
  const sweeping = setInterval(() => {
    void target.form("/discover", { sourceId: "1" });
    void target.form("/setup/credentials/new", TRY_SSH);
  }, 3_000);
  try {
    await run(Math.min(WARM, inputs / 10));
    outcome.residentBeforeMb = target.residentMb;
    await run(inputs - Math.min(WARM, inputs / 10));
    clearInterval(sweeping);
    await new Promise((done) => setTimeout(done, restMs));
    outcome.residentAfterMb = target.crashes ? 0 : target.residentMb;
  } finally {
    clearInterval(watch);
    clearInterval(sweeping);
    devices.close();
  }
  outcome.byWay["answers of devices and pages"] = devices.answers();
  outcome.inputs += devices.answers();
  outcome.crashes = target.crashes;
  outcome.faults = target.faults;
  return outcome;
}
