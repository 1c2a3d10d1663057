import { siblingsAmong } from "#core/estate/siblings";
import { MINUTE_MS } from "#core/time/windows";
import { groupBy } from "#core/units/group";
import type { LiveSeries, SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { currentComponents, type ComponentRow } from "../store/estate";

/** What did not come for so long says nothing of now. */
const STALE_MS = 10 * MINUTE_MS;
/** New series are taken up so often, clock time. */
const ANEW_MS = 5 * MINUTE_MS;
const MOST_OTHERS = 50;
/** So much of the machine's time goes into finding siblings for the samples of one instant. */
const BUDGET_MS = 20;

/** What others that ought to be alike measure just now: siblings of a component, or other instances of a metric. */
export class Others {
  private byMetric = new Map<string, LiveSeries[]>();
  private readonly siblings = new Map<number, number[]>();
  private rows: ComponentRow[] | undefined;
  private parts: ReadonlyMap<number, ComponentRow[]> = new Map();
  private takenMs = Number.NEGATIVE_INFINITY;
  private spentAtMs = 0;
  private spentMs = 0;

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: Pick<SampleWriter, "all" | "last">,
  ) {}

  /** Takes the estate and its series up anew when they are asked for next. */
  forget(): void {
    this.takenMs = Number.NEGATIVE_INFINITY;
    this.siblings.clear();
    this.rows = undefined;
  }

  /** Values of the others, stale ones left out; of what is sent and polled, those that come the same way. */
  of(series: LiveSeries, against: "siblings" | "instances", atMs: number): number[] {
    if (series.componentId === null) return [];
    if (atMs - this.takenMs >= ANEW_MS || atMs < this.takenMs) this.takeUp(atMs);
    if (atMs !== this.spentAtMs) [this.spentAtMs, this.spentMs] = [atMs, 0];
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
    // Whoever is not known yet is compared with the next samples: a large estate is learned bit by bit.
    if (this.spentMs >= BUDGET_MS) return [];
    const started = performance.now();
    if (!this.rows) {
      this.rows = currentComponents(this.db);
      this.parts = groupBy(
        this.rows.filter((row) => row.host_id !== null),
        (row) => row.host_id as number,
      );
    }
    const own = this.rows.find((row) => row.id === componentId);
    const found = own
      ? siblingsAmong(own, this.rows, this.parts).flatMap(({ id }) => (id === componentId ? [] : [id]))
      : [];
    this.siblings.set(componentId, found);
    this.spentMs += performance.now() - started;
    return found;
  }

  private seriesOf(componentId: number, metric: string): readonly LiveSeries[] {
    return this.byMetric.get(`${componentId} ${metric}`) ?? [];
  }

  private takeUp(atMs: number): void {
    this.takenMs = atMs;
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
