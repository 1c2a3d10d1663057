/** What an agent says of its host when it asks for a token. */
export interface Enrolling {
  code: string;
  hostName: string;
  /** Empty where the host has none. */
  hostId: string;
}

const TIMEOUT_MS = 10_000;

/** Fetches a token of its own for the agent of a host; where there is none, why, as a sentence. */
export async function enrol(
  to: string,
  asked: Enrolling,
  post: typeof fetch,
): Promise<{ token: string } | { token?: undefined; problem: string }> {
  let response: Response;
  try {
    response = await post(`${to}/enrol`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(asked),
      signal: AbortSignal.timeout(TIMEOUT_MS),
    });
  } catch (error) {
    const cause = error instanceof Error ? (error.cause as { code?: string } | undefined) : undefined;
    return { problem: `Nobody takes enrolments at ${to}: ${cause?.code ?? String(error)}.` };
  }
  const said = await response.text().catch(() => "");
  let body: { token?: unknown; message?: unknown } = {};
  try {
    body = JSON.parse(said) as typeof body;
  } catch {
    // Not what a receiver of ours answers.
  }
  if (response.ok && typeof body.token === "string") return { token: body.token };
  return {
    problem: typeof body.message === "string" ? body.message : `${to} does not enrol agents (${response.status}).`,
  };
}
