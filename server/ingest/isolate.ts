import type { Batch } from "../receivers/batch";

/** Records of a batch in one row: samples, log records, spans, events, exemplars. */
const recordsOf = ({ handles, logs, spans, events, exemplars }: Batch): number =>
  handles.length + logs.length + spans.length + events.length + exemplars.length;

/** The records of a batch from one place to before another, with all it says of senders and series. */
export function partOf(batch: Batch, from: number, to: number): Batch {
  let before = 0;
  const share = <Row>(rows: readonly Row[]): Row[] => {
    const own = rows.slice(Math.max(0, from - before), Math.max(0, to - before));
    before += rows.length;
    return own;
  };
  const first = Math.min(from, batch.handles.length);
  const last = Math.min(to, batch.handles.length);
  before = batch.handles.length;
  return {
    resources: batch.resources,
    series: batch.series,
    handles: batch.handles.slice(first, last),
    times: batch.times.slice(first, last),
    values: batch.values.slice(first, last),
    logs: share(batch.logs),
    spans: share(batch.spans),
    events: share(batch.events),
    exemplars: share(batch.exemplars),
    restarts: from === 0 ? (batch.restarts ?? []) : [],
  };
}

/** Times a batch is cut; what still fails then is refused as it stands. */
const MOST_TRIES = 64;

/**
 * Keeps of a batch that cannot be kept whole what can be kept: it is halved until each record that fails stands alone.
 * @param keep makes a batch durable, or throws and leaves everything as it was
 * @param isFinal whether an error is not the records' fault, so that trying further is of no use; it is thrown on
 * @returns how many records were refused, and the first reason
 */
export function keepWhatFits(
  batch: Batch,
  keep: (part: Batch) => void,
  isFinal: (error: unknown) => boolean = () => false,
): { refused: number; error: unknown } {
  let refused = 0;
  let first: unknown;
  let tries = 0;
  const waiting: [from: number, to: number][] = [[0, recordsOf(batch)]];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const [from, to] = next;
    try {
      keep(partOf(batch, from, to));
    } catch (error) {
      if (isFinal(error)) throw error;
      first ??= error;
      tries++;
      if (to - from <= 1 || tries >= MOST_TRIES) {
        refused += Math.max(1, to - from);
        continue;
      }
      const middle = (from + to) >> 1;
      waiting.push([middle, to], [from, middle]);
    }
  }
  return { refused, error: first };
}
