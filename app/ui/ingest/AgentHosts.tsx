import Typography from "@mui/material/Typography";
import { spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";

/** Hosts on which our agent runs, and how to put it on another. */
export function AgentHosts({ hosts, nowMs }: { hosts: Answer<"signalsSetup">["agents"]; nowMs: number }) {
  return (
    <Section title={`Hosts with an agent: ${hosts.length}`}>
      {hosts.length ? (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Host</th>
              <th scope="col">Agent</th>
              <th scope="col" className="num">
                Containers
              </th>
              <th scope="col">Found</th>
              <th scope="col">Last report</th>
            </tr>
          </thead>
          <tbody>
            {hosts.map((host) => (
              <tr key={host.id}>
                <td>
                  <KeepLink to={`/estate/${host.id}`}>{host.name}</KeepLink>
                </td>
                <td>{host.agent}</td>
                <td className="num">{host.containers}</td>
                <td>{host.alone ? "by its agent" : "by a sweep as well"}</td>
                <td className="line">
                  {host.lastMs === null ? "not recently" : `${spokenDuration(nowMs - host.lastMs)} ago`}
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : null}
      <Typography variant="body2" sx={{ color: "text.secondary", mt: hosts.length ? 1 : 0 }}>
        To monitor another Linux host, <KeepLink to="/setup/tokens">make an enrolment code</KeepLink>: with it comes the
        command that installs the agent there. It needs Node.js 20 or later, reads <code>/proc</code> and control
        groups, and its host appears in the estate with its first report.
      </Typography>
    </Section>
  );
}
