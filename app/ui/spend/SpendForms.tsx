import Alert from "@mui/material/Alert";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";
import { Form } from "react-router";
import type { Answer } from "#server/pages/registry";
import { Caption, Row } from "../Page";
import { RightButton } from "../RightButton";

type Page = Answer<"spendData">;

/** What was done, said once. */
export function Answered({ children }: { children: ReactNode }) {
  return children ? (
    <Alert
      severity="success"
      variant="outlined"
      icon={false}
      role="status"
      sx={{ py: 0, mb: 1.5, color: "text.primary" }}
    >
      {children}
    </Alert>
  ) : null;
}

export function RemoveButton({ what, id, name }: { what: string; id: number; name: string }) {
  return (
    <Form method="post" style={{ display: "inline" }}>
      <input type="hidden" name="what" value={what} />
      <input type="hidden" name="id" value={id} />
      <RightButton right="configure" type="submit" size="small" aria-label={name}>
        Remove
      </RightButton>
    </Form>
  );
}

export function BudgetForm({ page, problems }: { page: Page; problems: Readonly<Record<string, string>> }) {
  return (
    <Form method="post">
      <input type="hidden" name="what" value="budget" />
      <Row>
        <TextField
          size="small"
          label="Name of the budget"
          name="name"
          required
          error={"name" in problems}
          helperText={problems.name}
          sx={{ width: 220 }}
        />
        <TextField
          size="small"
          select
          label="Of"
          name="scope"
          defaultValue=""
          sx={{ width: 280 }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">All spend</MenuItem>
          {page.choices.flatMap(({ dimension, label, values }) =>
            values.slice(0, 30).map((value) => (
              <MenuItem key={`${dimension} ${value}`} value={`${dimension}=${value}`}>
                {label}: {value}
              </MenuItem>
            )),
          )}
        </TextField>
        <TextField
          size="small"
          label={`Amount a month (${page.currency})`}
          name="amount"
          type="number"
          required
          slotProps={{ htmlInput: { min: 0, step: "any" } }}
          error={"amount" in problems}
          helperText={problems.amount}
          sx={{ width: 200 }}
        />
        <RightButton right="configure" type="submit" variant="outlined">
          Set the budget
        </RightButton>
      </Row>
    </Form>
  );
}

export function CurrencyForm({ page, problems }: { page: Page; problems: Readonly<Record<string, string>> }) {
  const others = page.paidIn.filter((one) => one !== page.currency);
  const rateOf = (currency: string) => page.rates.find((one) => one.currency === currency)?.rate ?? "";
  return (
    <Form method="post">
      <input type="hidden" name="what" value="currencies" />
      <Row>
        <TextField
          key={page.currency}
          size="small"
          label="Sum up in"
          name="currency"
          defaultValue={page.currency}
          error={"currency" in problems}
          helperText={problems.currency}
          sx={{ width: 120 }}
        />
        {others.map((one) => (
          <TextField
            key={`${one} ${rateOf(one)}`}
            size="small"
            label={`1 ${one} in ${page.currency}`}
            name={`rate-${one}`}
            defaultValue={rateOf(one)}
            type="number"
            slotProps={{ htmlInput: { min: 0, step: "any" } }}
            error={`rates.${one}` in problems}
            helperText={problems[`rates.${one}`]}
            sx={{ width: 160 }}
          />
        ))}
        <RightButton right="configure" type="submit" variant="outlined">
          Save
        </RightButton>
      </Row>
      <Caption>
        {others.length
          ? "What was paid in a currency without a rate is shown apart and never added up with the rest."
          : "Everything was paid in this currency."}
      </Caption>
    </Form>
  );
}
