import { Form, useNavigation } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

type Source = Answer<"discover">["sources"][number];

/** Sources with what they cover and when they were swept last, each to be swept now. */
export function SourceTable({ sources }: { sources: readonly Source[] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Source</th>
          <th scope="col">Type</th>
          <th scope="col">Covers</th>
          <th scope="col" className="num">
            Addresses
          </th>
          <th scope="col" className="num">
            Poll every
          </th>
          <th scope="col">Last sweep</th>
          <th scope="col">Next by itself</th>
          <th scope="col" className="num">
            Actions
          </th>
        </tr>
      </thead>
      <tbody>
        {sources.map((source) => (
          <SourceRow key={source.id} source={source} />
        ))}
      </tbody>
    </PlainTable>
  );
}

function SourceRow({ source }: { source: Source }) {
  const { window: now } = useShell();
  const busy = useNavigation().state === "submitting";
  return (
    <tr>
      <td>
        <KeepLink to={`/discover/sources/${source.id}`}>{source.name}</KeepLink>
      </td>
      <td>{source.kindLabel}</td>
      <td style={{ maxWidth: 360 }}>{source.covers}</td>
      <td className="num">
        {source.isSwept && source.addresses !== null ? source.addresses.toLocaleString("en-GB") : "–"}
      </td>
      <td className="num">{source.pollSeconds === null ? "–" : spokenDuration(source.pollSeconds * 1000)}</td>
      <td>
        {source.last ? (
          <KeepLink to={`/discover/sweeps/${source.last.id}`}>
            {source.last.state === "running" ? "running" : dayAndTime(source.last.started_at, now.nowMs)}
          </KeepLink>
        ) : source.isSwept ? (
          "never"
        ) : (
          "reports by itself"
        )}
      </td>
      <td title={source.isSwept ? source.schedule : undefined}>
        {source.nextAt === null ? (source.isSwept ? "never" : "–") : dayAndTime(source.nextAt, now.nowMs)}
      </td>
      <td className="num">
        {source.isSwept ? (
          <Form method="post">
            <input type="hidden" name="sourceId" value={source.id} />
            <RightButton
              right="configure"
              type="submit"
              variant="outlined"
              disabled={busy || source.last?.state === "running"}
              aria-label={`${source.addresses === null ? "Read" : "Sweep"} ${source.name} now`}
            >
              {source.addresses === null ? "Read now" : "Sweep now"}
            </RightButton>
          </Form>
        ) : null}
      </td>
    </tr>
  );
}
