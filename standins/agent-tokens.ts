import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { enrol } from "../agent/enrol";

/**
 * Tokens of the estate's host agents, each fetched by its agent with an enrolment code when it first reports, and kept in
 * one file as real agents keep theirs in many.
 */
export class AgentTokens {
  private readonly known: Record<string, string>;

  constructor(
    private readonly file: string,
    private readonly to: string,
    private readonly code: string,
  ) {
    this.known = existsSync(file) ? (JSON.parse(readFileSync(file, "utf8")) as Record<string, string>) : {};
  }

  /** Undefined while nobody gives it one; it is asked for again with the next report. */
  of = async (hostName: string): Promise<string | undefined> => {
    const kept = this.known[hostName];
    if (kept !== undefined) return kept;
    const { token } = await enrol(this.to, { code: this.code, hostName, hostId: "" }, fetch);
    if (token === undefined) return undefined;
    this.known[hostName] = token;
    writeFileSync(this.file, JSON.stringify(this.known), { mode: 0o600 });
    return token;
  };
}
