import { Link as RouterLink } from "react-router";
import type { ChartData } from "#core/drawing/chart";
import { PILE_TICKS, RIGHT } from "#core/drawing/house-drawing";
import type { Lane, LaneMark } from "#core/drawing/lanes";
import { tickLabel, timeTicks } from "#core/time/ticks";
import { clockTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { usePin } from "../../shell/tray";
import { useKeep } from "../../shell/window";
import { HouseChart } from "../charts/HouseChart";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { useWhyNot } from "../RightButton";
import { Hairline, pointing } from "./Hairline";
import { spanOf, type IncidentData } from "./page";

/** Room for the values of the charts, in pixels: the lanes above begin where the charts do. */
const AXIS_WIDTH = 54;
const CHART_HEIGHT = 74;
/** What the last chart needs for the times under it. */
const TIMES_HEIGHT = 18;

/**
 * What happened when, part by part, over the charts of cause and symptoms: one time axis, one pointer. What is drawn
 * stands in words in the timeline.
 */
export function OneAxis({ page }: { page: IncidentData }) {
  const { suspect, axis, charts, fromMs, toMs } = page;
  const span = spanOf(page);
  const ticks = timeTicks(fromMs, toMs, PILE_TICKS);
  const placeOf = (atMs: number) => `${(100 * (atMs - fromMs)) / Math.max(1, toMs - fromMs)}%`;
  return (
    <Section
      title={`What happened, ${clockTime(fromMs)} to ${clockTime(toMs)} UTC`}
      pad={false}
      aside={
        suspect ? (
          <span className="hx-row" style={{ gap: 12 }}>
            <KeepLink to={`/signals/logs?component=${suspect.componentId}&${span}`}>Logs</KeepLink>
            <KeepLink to={`/estate/${suspect.componentId}?${span}`}>All of {suspect.name}</KeepLink>
          </span>
        ) : null
      }
    >
      <div className="hx-lanes">
        <div className="hx-lane">
          <Key />
          <div
            className="hx-lane-plot hx-lane-times"
            aria-hidden="true"
            style={{ marginLeft: AXIS_WIDTH, marginRight: RIGHT }}
          >
            {ticks.map((atMs) => (
              <span key={atMs} style={{ left: placeOf(atMs) }}>
                {tickLabel(atMs, toMs - fromMs)}
              </span>
            ))}
          </div>
        </div>
        {axis.lanes.map((lane) => (
          <LaneRow key={lane.key} lane={lane} ticks={ticks} fromMs={fromMs} toMs={toMs} placeOf={placeOf} span={span} />
        ))}
        {axis.more ? (
          <p className="hx-caption" style={{ padding: "2px 12px" }}>
            {axis.more} more took part: see the alarms below.
          </p>
        ) : null}
        {charts.map((chart, place) => (
          <ChartRow
            key={chart.seriesId}
            chart={chart}
            incidentId={page.incident.id}
            isLast={place === charts.length - 1}
          />
        ))}
      </div>
    </Section>
  );
}

interface LaneProps {
  lane: Lane;
  ticks: readonly number[];
  fromMs: number;
  toMs: number;
  placeOf: (atMs: number) => string;
  /** The stretch of time that is shown, for links. */
  span: string;
}

/** What one part did: how long each of its alarms stood, and what was changed or done there. */
const LaneRow = ({ lane, ticks, fromMs, toMs, placeOf, span }: LaneProps) => (
  <div className="hx-lane">
    <div className="hx-row" title={lane.name}>
      <span className="hx-clip">
        {lane.componentId === null ? (
          lane.name
        ) : (
          <KeepLink to={`/estate/${lane.componentId}?${span}`}>{lane.name}</KeepLink>
        )}
      </span>
      {lane.isCause ? <b>cause</b> : null}
    </div>
    <div
      className="hx-lane-plot"
      role="img"
      aria-label={laneInWords(lane)}
      style={{ marginLeft: AXIS_WIDTH, marginRight: RIGHT }}
      {...pointing(fromMs, toMs)}
    >
      {ticks.map((atMs) => (
        <i key={atMs} className="hx-lane-tick" style={{ left: placeOf(atMs) }} />
      ))}
      {lane.bars.map((bar, place) => (
        <i
          key={place}
          className={bar.isOver ? "hx-lane-bar" : "hx-lane-bar hx-on"}
          title={`${clockTime(bar.fromMs, true)}${bar.isOver ? ` to ${clockTime(bar.toMs, true)}` : ""}: ${bar.severity}: ${bar.text}`}
          style={{
            left: placeOf(bar.fromMs),
            width: `max(3px, ${placeOf(fromMs + bar.toMs - bar.fromMs)})`,
            background: `var(--hx-${bar.severity})`,
          }}
        />
      ))}
      {lane.marks.map((mark, place) => (
        <i
          key={`${mark.atMs} ${place}`}
          className={`hx-lane-mark hx-lane-${mark.what}`}
          title={`${clockTime(mark.atMs, true)}: ${mark.text}`}
          style={{ left: placeOf(mark.atMs) }}
        />
      ))}
      <Hairline fromMs={fromMs} toMs={toMs} />
    </div>
  </div>
);

/** What the marks mean. */
const Key = () => (
  <ul className="hx-lane-key" aria-label="Legend">
    <li>
      <i className="hx-lane-change" /> change
    </li>
    <li>
      <i className="hx-lane-log" /> log
    </li>
    <li>
      <i className="hx-lane-act" /> act
    </li>
  </ul>
);

const WORDS: Readonly<Record<LaneMark["what"], string>> = { change: "change", log: "log", act: "act" };

function laneInWords({ name, isCause, bars, marks }: Lane): string {
  const said = [
    ...bars.map((bar) => ({
      atMs: bar.fromMs,
      text: `${bar.severity} from ${clockTime(bar.fromMs)}${bar.isOver ? ` to ${clockTime(bar.toMs)}` : " on"}`,
    })),
    ...marks.map((mark) => ({ atMs: mark.atMs, text: `${WORDS[mark.what]} at ${clockTime(mark.atMs)}` })),
  ].sort((a, b) => a.atMs - b.atMs);
  return `${name}${isCause ? ", likeliest cause" : ""}: ${said.map((one) => one.text).join(", ") || "nothing of its own"}`;
}

/** A chart with its name and last value at the left, where the lanes have their names. */
function ChartRow({ chart, incidentId, isLast }: { chart: ChartData; incidentId: number; isLast: boolean }) {
  const keep = useKeep();
  const pin = usePin();
  const mayNotPin = useWhyNot("respond");
  const name = `${chart.title}${chart.owner ? ` · ${chart.owner}` : ""}`;
  return (
    <figure className="hx-lane hx-lane-chart">
      <figcaption>
        <RouterLink
          className="hx-link hx-clip"
          title={name}
          to={keep(`/signals/metrics?line=series~${chart.seriesId}&${spanOf(chart)}`)}
        >
          {chart.title}
        </RouterLink>
        <span className="hx-caption hx-clip">{chart.owner}</span>
        <span className="hx-row">
          <b>{formatValue(chart.legend.last, chart.unit)}</b>
          <button
            type="button"
            className="hx-button"
            aria-label={`Pin ${name}`}
            aria-disabled={mayNotPin !== undefined}
            title={mayNotPin ?? "Pin to this incident"}
            onClick={() =>
              pin({
                kind: "chart",
                title: name,
                detail: `series:${chart.seriesId}`,
                fromMs: chart.fromMs,
                toMs: chart.toMs,
                incidentId,
              })
            }
          >
            Pin
          </button>
        </span>
      </figcaption>
      <HouseChart
        chart={chart}
        height={CHART_HEIGHT + (isLast ? TIMES_HEIGHT : 0)}
        pile={{ axisWidth: AXIS_WIDTH, isLast }}
      />
    </figure>
  );
}
