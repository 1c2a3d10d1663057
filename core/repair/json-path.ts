import { JSONPathError, JSONPathEnvironment } from "json-p3";

const environment = new JSONPathEnvironment({ strict: true });

/** What is wrong with a JSONPath query (RFC 9535), as a sentence; undefined where nothing is. */
export function pathProblem(query: string): string | undefined {
  if (/\b(match|search)\s*\(/.test(query))
    return "match() and search() are not available here; compare with == instead.";
  try {
    environment.compile(query);
    return undefined;
  } catch (error) {
    if (!(error instanceof JSONPathError)) throw error;
    return `“${query}” is no JSONPath query: ${error.message.split("\n")[0]}`;
  }
}

/** The first node that a query of RFC 9535 finds in a JSON value; undefined where it finds none. */
export function takenOut(query: string, value: unknown): unknown {
  return environment.query(query, value as never).values()[0];
}
