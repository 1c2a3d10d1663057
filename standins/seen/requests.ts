import { scatter, seedOf } from "../rhythm";
import type { Operation } from "../world/layout";
import type { World } from "../world/world";
import { asHttp, queueOf, spreadOf } from "./traces";

/**
 * Upper bounds of the duration histogram, seconds (OpenTelemetry semantic conventions, http.server.request.duration).
 */
export const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10];
/** Requests that are drawn one by one; of more, a part stands for all. */
const MOST_DRAWN = 160;

/** What a process measures of what it does, by the semantic conventions for HTTP servers and consumers of messages. */
export interface MeasuredAs {
  metric: string;
  /** Attributes of what ended in one way. */
  attributes: (failed: boolean) => Record<string, string | number>;
}

/** Undefined for what nobody measures by a convention, as the statements of a database. */
export function measuredAs(operation: Operation): MeasuredAs | undefined {
  const queue = queueOf(operation);
  if (queue)
    return {
      metric: "messaging.process.duration",
      attributes: (failed) => ({
        ...(failed ? { "error.type": "_OTHER" } : {}),
        "messaging.destination.name": queue.name,
        "messaging.operation.name": "process",
      }),
    };
  const http = asHttp(operation.spec.name);
  return (
    http && {
      metric: "http.server.request.duration",
      attributes: (failed) => ({
        "http.request.method": http.method,
        "http.response.status_code": failed ? 500 : http.method === "POST" ? 201 : 200,
        "http.route": http.route,
      }),
    }
  );
}

/** Requests of one operation that ended in one way. */
export interface Answered {
  failed: boolean;
  counts: number[];
  sum: number;
  min: number;
  max: number;
  count: number;
}

export const emptyAnswered = (failed: boolean): Answered => ({
  failed,
  counts: BOUNDS.map(() => 0).concat(0),
  sum: 0,
  min: Number.POSITIVE_INFINITY,
  max: 0,
  count: 0,
});

export function addAnswered(to: Answered, seconds: number, times = 1): void {
  const bucket = BOUNDS.findIndex((bound) => seconds <= bound);
  const place = bucket < 0 ? BOUNDS.length : bucket;
  to.counts[place] = (to.counts[place] as number) + times;
  to.sum += seconds * times;
  to.min = Math.min(to.min, seconds);
  to.max = Math.max(to.max, seconds);
  to.count += times;
}

/** Answers and failures of an operation up to an instant. */
export function totalsOf(world: World, operation: Operation, atMs: number): { answered: number; failed: number } {
  const { state } = world;
  const { index } = operation;
  const done = (state.operation.finished[index] as number) * world.since(atMs);
  const failing = state.operation.failing[index] as number;
  return {
    answered: (state.operation.answered[index] as number) + done * (1 - failing),
    failed: (state.operation.failed[index] as number) + done * failing,
  };
}

/** How long each of the requests between two looks took, drawn from what the world says of wait and work. */
export function drawAnswers(
  world: World,
  operation: Operation,
  before: { answered: number; failed: number },
  now: { answered: number; failed: number },
  atMs: number,
  mostDrawn = MOST_DRAWN,
): Answered[] {
  const { state } = world;
  const wait = state.station.waitSeconds[operation.station.index] as number;
  const hold = state.operation.holdSeconds[operation.index] as number;
  const seed = seedOf(`${operation.spec.name}${atMs}`, operation.station.seed);
  return ([false, true] as const).flatMap((failed) => {
    const key = failed ? "failed" : "answered";
    const count = Math.floor(now[key]) - Math.floor(before[key]);
    if (count <= 0) return [];
    const drawn = Math.min(count, mostDrawn);
    const one = emptyAnswered(failed);
    for (let index = 0; index < drawn; index++) {
      const own = seedOf(`${key}${index}`, seed);
      const seconds = wait * -Math.log(1 - 0.999 * scatter(own, 0)) + hold * spreadOf(own, 1, operation.spec.variation);
      // The first ones stand for what is left over.
      addAnswered(one, seconds, Math.floor(count / drawn) + Number(index < count % drawn));
    }
    return [one];
  });
}
