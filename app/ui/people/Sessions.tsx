import Button from "@mui/material/Button";
import { Form } from "react-router";
import { spokenDuration } from "#core/time/windows";
import type { Session } from "#server/store/people";
import { PlainTable } from "../PlainTable";

/** The browser and system of a User-Agent header, in a few words. */
export function browserName(agent: string): string {
  const browser = /(Edg|OPR|Firefox|Chrome|Safari)\/([\d]+)/.exec(agent)?.[1];
  const system = /(Windows|Mac OS X|Android|iPhone|iPad|Linux)/.exec(agent)?.[1];
  const name = browser === "Edg" ? "Edge" : browser === "OPR" ? "Opera" : browser;
  return name ? `${name}${system ? ` on ${system}` : ""}` : agent.slice(0, 40) || "a program";
}

/** Where somebody is signed in, each with a way to end it. */
export function Sessions({
  sessions,
  current,
  machineMs,
  names,
}: {
  sessions: readonly Session[];
  current: number | null;
  machineMs: number;
  /** Names of accounts, where the sessions are of several people. */
  names?: ReadonlyMap<number, string>;
}) {
  return (
    <PlainTable>
      <thead>
        <tr>
          {names ? <th scope="col">Person</th> : null}
          <th scope="col">Browser</th>
          <th scope="col">Address</th>
          <th scope="col">Signed in</th>
          <th scope="col">Last used</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {sessions.map((one) => (
          <tr key={one.id}>
            {names ? <td>{names.get(one.accountId)}</td> : null}
            <td>{browserName(one.browser)}</td>
            <td>{one.address}</td>
            <td>{spokenDuration(machineMs - one.beganAt)} ago</td>
            <td>{one.id === current ? "this one" : `${spokenDuration(machineMs - one.seenAt)} ago`}</td>
            <td>
              <Form method="post">
                <input type="hidden" name="what" value="endSession" />
                <input type="hidden" name="id" value={one.id} />
                <Button type="submit" color="error" aria-label={`End session ${one.id}`}>
                  End
                </Button>
              </Form>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
