import type { Right, RoleId } from "#core/people/rights";

/** Who asks for something to be done, by which way they came in, and what they may do. */
export interface Principal {
  name: string;
  via: "browser" | "token" | "console" | "set-up" | "test";
  rights: readonly Right[];
  /** Where from; empty for what this machine does itself. */
  address: string;
  browser: string;
  accountId: number | null;
  sessionId: number | null;
  role: RoleId | null;
}

/** This machine itself, for what is done without a person asking at that moment. */
export const itself = (name: string, via: "console" | "set-up" | "test", rights: readonly Right[]): Principal => ({
  name,
  via,
  rights,
  address: "",
  browser: "",
  accountId: null,
  sessionId: null,
  role: null,
});
