import { dayAndTime, spokenDuration } from "#core/time/windows";

interface Run {
  startedMs: number;
  endedMs: number | null;
  outcome: "running" | "done" | "failed" | "unknown";
}

const HEIGHT = 22;
const WIDE = 5;

/** The last runs of a job, one bar each as high as it took long; failed ones are crossed, one whose end nobody told is a line. */
export function RunBars({ runs, atMs }: { runs: readonly Run[]; atMs: number }) {
  const tookMs = (run: Run) => (run.endedMs ?? (run.outcome === "running" ? atMs : run.startedMs)) - run.startedMs;
  const longest = Math.max(1, ...runs.map(tookMs));
  const first = runs[0];
  return (
    <svg
      width={runs.length * WIDE}
      height={HEIGHT}
      role="img"
      aria-label={`${runs.length} ${runs.length === 1 ? "run" : "runs"} since ${first ? dayAndTime(first.startedMs, atMs) : ""}, ${runs.filter((run) => run.outcome === "failed").length} failed, the longest took ${spokenDuration(longest)}`}
      style={{ display: "block" }}
    >
      {runs.map((run, place) => {
        const high = Math.max(2, (tookMs(run) / longest) * (HEIGHT - 2));
        const left = place * WIDE;
        const failed = run.outcome === "failed";
        return (
          <g key={run.startedMs}>
            <rect
              x={left}
              y={HEIGHT - high}
              width={WIDE - 1}
              height={high}
              fill={failed ? "var(--hx-major)" : "var(--hx-chart)"}
              opacity={run.outcome === "running" ? 0.55 : 0.9}
            />
            {failed ? (
              <path
                d={`M${left} ${HEIGHT - high} l${WIDE - 1} ${high}`}
                stroke="var(--mui-palette-background-paper)"
                strokeWidth={1}
              />
            ) : null}
          </g>
        );
      })}
    </svg>
  );
}
