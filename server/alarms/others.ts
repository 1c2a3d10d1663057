import { siblingsAmong } from "#core/estate/siblings";
import { MINUTE_MS } from "#core/time/windows";
import type { LiveSeries, SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { currentComponents, type ComponentRow } from "../store/estate";

/** What did not come for so long says nothing of now. */
const STALE_MS = 10 * MINUTE_MS;
/** New series are taken up so often, clock time. */
const ANEW_MS = 5 * MINUTE_MS;
const MOST_OTHERS = 50;

/** What others that ought to be alike measure just now: siblings of a component, or other instances of a metric. */
export class Others {
  private byMetric = new Map<string, LiveSeries[]>();
  private readonly siblings = new Map<number, number[]>();
  private rows: ComponentRow[] | undefined;
  private parts = new Map<number, ComponentRow[]>();
  private takenMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: Pick<SampleWriter, "all" | "last">,
  ) {}

  /** Takes the estate and its series up anew when they are asked for next. */
  forget(): void {
    this.takenMs = Number.NEGATIVE_INFINITY;
  }

  /** Values of the others, stale ones left out; of what is sent and polled, those that come the same way. */
  of(series: LiveSeries, against: "siblings" | "instances", atMs: number): number[] {
    if (series.componentId === null) return [];
    if (atMs - this.takenMs >= ANEW_MS || atMs < this.takenMs) this.takeUp(atMs);
    const isSent = series.resourceId !== null;
    const alike =
      against === "instances"
        ? this.seriesOf(series.componentId, series.metric).filter((one) => one.instance !== series.instance)
        : this.siblingsOf(series.componentId).flatMap((id) =>
            this.seriesOf(id, series.metric).filter((one) => one.instance === series.instance),
          );
    return alike
      .filter((one) => (one.resourceId !== null) === isSent)
      .slice(0, MOST_OTHERS)
      .flatMap((one) => {
        const last = this.sampleWriter.last(one);
        return last.atMs >= atMs - STALE_MS && Number.isFinite(last.value) ? [last.value] : [];
      });
  }

  /** Components that ought to be like one, itself left out. */
  siblingsOf(componentId: number): readonly number[] {
    const known = this.siblings.get(componentId);
    if (known) return known;
    this.rows ??= currentComponents(this.db);
    if (this.parts.size === 0)
      for (const row of this.rows)
        if (row.host_id !== null) this.parts.set(row.host_id, [...(this.parts.get(row.host_id) ?? []), row]);
    const own = this.rows.find((row) => row.id === componentId);
    const found = own
      ? siblingsAmong(own, this.rows, this.parts).flatMap(({ id }) => (id === componentId ? [] : [id]))
      : [];
    this.siblings.set(componentId, found);
    return found;
  }

  private seriesOf(componentId: number, metric: string): readonly LiveSeries[] {
    return this.byMetric.get(`${componentId} ${metric}`) ?? [];
  }

  private takeUp(atMs: number): void {
    this.takenMs = atMs;
    this.siblings.clear();
    this.rows = undefined;
    this.parts = new Map();
    this.byMetric = new Map();
    for (const series of this.sampleWriter.all()) {
      if (series.componentId === null) continue;
      const key = `${series.componentId} ${series.metric}`;
      const list = this.byMetric.get(key);
      if (list) list.push(series);
      else this.byMetric.set(key, [series]);
    }
  }
}
