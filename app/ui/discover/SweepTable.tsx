import LinearProgress from "@mui/material/LinearProgress";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { OUTCOME_ORDER, OUTCOMES } from "../Outcome";
import { PlainTable } from "../PlainTable";

type Sweep = Answer<"discover">["sweeps"][number];

/** What came back has no column of its own: it is rare, and the sweep's page names it. */
const SHOWN = OUTCOME_ORDER.filter((outcome) => outcome !== "back");

/** Sweeps, the newest first, with how many components each found in which state. */
export function SweepTable({ sweeps }: { sweeps: readonly Sweep[] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Started</th>
          <th scope="col">Source</th>
          <th scope="col">State</th>
          <th scope="col" className="num">
            Tried
          </th>
          <th scope="col" className="num">
            Answering
          </th>
          <th scope="col" className="num">
            Recognised
          </th>
          {SHOWN.map((outcome) => (
            <th scope="col" key={outcome} className="num" title={OUTCOMES[outcome].explained}>
              {OUTCOMES[outcome].label}
            </th>
          ))}
          <th scope="col">By</th>
        </tr>
      </thead>
      <tbody>
        {sweeps.map((sweep) => (
          <SweepRow key={sweep.id} sweep={sweep} />
        ))}
      </tbody>
    </PlainTable>
  );
}

function SweepRow({ sweep }: { sweep: Sweep }) {
  const { window: now } = useShell();
  return (
    <tr>
      <td>
        <KeepLink to={`/discover/sweeps/${sweep.id}`}>{dayAndTime(sweep.started_at, now.nowMs)}</KeepLink>
      </td>
      <td>{sweep.source}</td>
      <td>
        {sweep.state === "running" ? (
          <LinearProgress
            variant="determinate"
            value={(sweep.tried / sweep.addresses) * 100}
            aria-label="Progress"
            sx={{ width: 80 }}
          />
        ) : (
          sweep.state
        )}
      </td>
      <td className="num">{sweep.tried}</td>
      <td className="num">{sweep.answering}</td>
      <td className="num">{sweep.recognised}</td>
      {SHOWN.map((outcome) => (
        <td key={outcome} className="num">
          {sweep.found[outcome] ? (
            <KeepLink to={`/discover/sweeps/${sweep.id}?outcome=${outcome}`}>{sweep.found[outcome]}</KeepLink>
          ) : (
            "–"
          )}
        </td>
      ))}
      <td>{sweep.started_by}</td>
    </tr>
  );
}
