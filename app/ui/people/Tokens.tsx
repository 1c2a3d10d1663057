import Button from "@mui/material/Button";
import { Form } from "react-router";
import { spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { Empty } from "../Page";
import { PlainTable } from "../PlainTable";

/** Tokens with what they may, until when, and when they were used last. */
export function Tokens({ tokens, machineMs }: { tokens: Answer<"tokens">["tokens"]; machineMs: number }) {
  if (!tokens.length)
    return (
      <div className="hx-pad">
        <Empty>None yet.</Empty>
      </div>
    );
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">May</th>
          <th scope="col">Made</th>
          <th scope="col">Ends</th>
          <th scope="col">Last used</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {tokens.map((token) => (
          <tr key={token.id} className={token.isOpen ? undefined : "hx-quiet"}>
            <td>{token.name}</td>
            <td>{token.may}</td>
            <td>
              {spokenDuration(machineMs - token.madeAt)} ago by {token.madeBy}
            </td>
            <td>
              {token.revokedAt !== null
                ? "revoked"
                : token.endsAt === null
                  ? "never"
                  : token.isOpen
                    ? `in ${spokenDuration(token.endsAt - machineMs)}`
                    : "ended"}
            </td>
            <td>
              {token.usedAt === null
                ? "never"
                : `${spokenDuration(Math.max(0, machineMs - token.usedAt))} ago from ${token.usedFrom}`}
            </td>
            <td>
              {token.isOpen ? (
                <Form method="post">
                  <input type="hidden" name="what" value="revoke" />
                  <input type="hidden" name="id" value={token.id} />
                  <Button type="submit" color="error" aria-label={`Revoke ${token.name}`}>
                    Revoke
                  </Button>
                </Form>
              ) : null}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
