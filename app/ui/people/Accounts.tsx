import Button from "@mui/material/Button";
import { Form, useSubmit } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { ROLES } from "#core/people/rights";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { PlainTable } from "../PlainTable";

/** Everybody with an account: what they may, and the ways to change that. */
export function Accounts({ accounts }: { accounts: Answer<"people">["accounts"] }) {
  const { window: now } = useShell();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Person</th>
          <th scope="col">Signs in as</th>
          <th scope="col">Role</th>
          <th scope="col">Since</th>
          <th scope="col" className="num">
            Sessions
          </th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {accounts.map((account) => (
          <tr key={account.id}>
            <td>
              {account.name}
              {account.remark ? <span className="hx-caption"> {account.remark}</span> : null}
            </td>
            <td>{account.isDemo ? "made up: one click" : account.signIn}</td>
            <td>{account.closedAt === null ? <RoleChoice account={account} /> : "closed"}</td>
            <td className="line">
              {dayAndTime(account.madeAt, now.nowMs)} by {account.madeBy}
            </td>
            <td className="num">{account.sessions.length}</td>
            <td>
              <div className="hx-row">
                {account.closedAt === null ? (
                  <>
                    {account.isDemo ? null : <Act what="reset" account={account} label="New password" />}
                    <Act what="close" account={account} label="Close" />
                  </>
                ) : (
                  <Act what="reopen" account={account} label="Open again" />
                )}
              </div>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

type AccountShown = Answer<"people">["accounts"][number];

function RoleChoice({ account }: { account: AccountShown }) {
  const submit = useSubmit();
  return (
    <select
      className="hx-select"
      aria-label={`Role of ${account.name}`}
      value={account.role}
      onChange={(event) =>
        void submit({ what: "role", id: String(account.id), role: event.target.value }, { method: "post" })
      }
    >
      {ROLES.map((role) => (
        <option key={role.id} value={role.id}>
          {role.label}
        </option>
      ))}
    </select>
  );
}

function Act({ what, account, label }: { what: string; account: AccountShown; label: string }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value={what} />
      <input type="hidden" name="id" value={account.id} />
      <Button type="submit" aria-label={`${label}: ${account.name}`} {...(what === "close" ? { color: "error" } : {})}>
        {label}
      </Button>
    </Form>
  );
}
