import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { z } from "zod";
import { dayAndTime } from "#core/time/windows";
import { formatMoney } from "#core/units/money";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/spend-data";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Row, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Answered, BudgetForm, CurrencyForm, RemoveButton } from "../ui/spend/SpendForms";
import { SpendFile } from "../ui/spend/SpendFile";

export const meta: Route.MetaFunction = () => [{ title: "Budgets and cost data · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("spendData", {});

const id = z.coerce.number().int().min(1);
const number = (missing: string) => z.coerce.number(missing);
const schema = z.discriminatedUnion("what", [
  z.object({
    what: z.literal("budget"),
    name: z.string(),
    scope: z.string().max(300),
    amount: number("Give an amount, like 12000."),
  }),
  z.object({ what: z.literal("remove-budget"), id }),
  z.object({ what: z.literal("drop"), id }),
  z.object({ what: z.literal("currencies"), currency: z.string().trim().toUpperCase() }).catchall(z.string()),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  switch (value.what) {
    case "budget": {
      const cut = value.scope.indexOf("=");
      const saved = await act(context, "budget.save", {
        name: value.name,
        amount: value.amount,
        dimension: (cut > 0 ? value.scope.slice(0, cut) : null) as null,
        value: cut > 0 ? value.scope.slice(cut + 1) : null,
      });
      return saved.ok ? { ok: true as const, done: `The budget ${value.name} is set.` } : saved.refusal;
    }
    case "remove-budget": {
      const done = await act(context, "budget.remove", { id: value.id });
      return done.ok ? { ok: true as const, done: "The budget is removed." } : done.refusal;
    }
    case "drop": {
      const done = await act(context, "spend.drop", { id: value.id });
      return done.ok ? { ok: true as const, done: "Its costs are removed." } : done.refusal;
    }
    default: {
      const rates = Object.fromEntries(
        Object.entries(value).flatMap(([name, text]) =>
          /^rate-[A-Z]{3}$/.test(name) && text.trim() !== "" ? [[name.slice(5), Number(text)]] : [],
        ),
      );
      const done = await act(context, "spend.currencies", { currency: value.currency, rates });
      return done.ok ? { ok: true as const, done: `Costs are summed up in ${value.currency}.` } : done.refusal;
    }
  }
}

export default function SpendData({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  const files = page.imports.filter((one) => one.source_id === null);
  const told = page.imports.length - files.length;
  return (
    <>
      <PageHead
        name="Estate › Spend › Budgets and cost data"
        sentence={
          page.imports.length
            ? `Costs come from ${told} ${told === 1 ? "platform" : "platforms"} and ${files.length} ${files.length === 1 ? "file" : "files"}; ${page.budgets.length} ${page.budgets.length === 1 ? "budget is" : "budgets are"} set.`
            : "No costs are known yet: take in a file, or read a cloud whose mapping tells costs."
        }
        actions={
          <Button component="a" href="/estate/spend/focus.csv" download variant="outlined">
            All as FOCUS (CSV)
          </Button>
        }
      />
      <Problem>{refusal ? <span style={{ whiteSpace: "pre-line" }}>{refusal.problem}</span> : null}</Problem>
      <Answered>{actionData && "done" in actionData ? actionData.done : null}</Answered>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Budgets a month" pad={false}>
          <Budgets page={page} />
          <div style={{ padding: 12 }}>
            <BudgetForm page={page} problems={refusal?.fields ?? {}} />
          </div>
        </Section>
        <Section title="Take in a file">
          <SpendFile />
        </Section>
        <Section title="Where costs come from" pad={false}>
          <Imports page={page} />
        </Section>
        <Section title="Currencies">
          <CurrencyForm page={page} problems={refusal?.fields ?? {}} />
        </Section>
      </Stack>
    </>
  );
}

type Page = Answer<"spendData">;

function Budgets({ page }: { page: Page }) {
  if (page.budgets.length === 0)
    return (
      <div style={{ padding: 12 }}>
        <Empty>None is set.</Empty>
      </div>
    );
  return (
    <PlainTable aria-label="Budgets">
      <thead>
        <tr>
          <th scope="col">Budget</th>
          <th scope="col">Of</th>
          <th scope="col" className="num">
            A month
          </th>
          <th scope="col">Set by</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {page.budgets.map((one) => (
          <tr key={one.id}>
            <td>{one.name}</td>
            <td>{one.scope}</td>
            <td className="num">{formatMoney(one.amount, page.currency)}</td>
            <td>{one.made_by}</td>
            <td className="num">
              <RemoveButton what="remove-budget" id={one.id} name={`Remove the budget ${one.name}`} />
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Imports({ page }: { page: Page }) {
  const { window: now } = useShell();
  if (page.imports.length === 0)
    return (
      <div style={{ padding: 12 }}>
        <Empty>Nothing was taken in yet.</Empty>
      </div>
    );
  return (
    <PlainTable aria-label="Where costs come from">
      <thead>
        <tr>
          <th scope="col">Source or file</th>
          <th scope="col">Taken in</th>
          <th scope="col">By</th>
          <th scope="col" className="num">
            Lines
          </th>
          <th scope="col">Note</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {page.imports.map((one) => (
          <tr key={one.id}>
            <td>
              <Row>
                {one.source_id === null ? (
                  one.name
                ) : (
                  <KeepLink to={`/discover/sources/${one.source_id}`}>{one.name}</KeepLink>
                )}
              </Row>
            </td>
            <td className="line">{dayAndTime(one.taken_at, now.nowMs)}</td>
            <td>{one.source_id === null ? one.taken_by : "the platform itself"}</td>
            <td className="num">{one.lines.toLocaleString("en-GB")}</td>
            <td>{one.note}</td>
            <td className="num">
              {one.source_id === null ? (
                <RemoveButton what="drop" id={one.id} name={`Remove the costs of ${one.name}`} />
              ) : null}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
