import { expect, it } from "vitest";
import { ANSWER_COUNTS, requestSeries } from "./request-metrics";

it("tells what is answered, what is asked of others, and what is taken, by the semantic conventions", () => {
  const of = (metric: string, attributes: Record<string, string>) =>
    requestSeries(
      metric,
      Object.entries(attributes)
        .map(([key, value]) => `${key}=${value}`)
        .join(", "),
    );
  expect(
    of("http.server.request.duration.count", { "http.request.method": "GET", "http.route": "/lots" }),
  ).toMatchObject({ side: "answers", name: "GET /lots", failed: false });
  expect(
    of("http.client.request.duration.p95", {
      "http.request.method": "GET",
      "http.response.status_code": "404",
      "url.template": "/lots",
    }),
  ).toMatchObject({ side: "makes", name: "GET /lots", failed: true, part: ".p95" });
  expect(
    of("messaging.process.duration.count", {
      "error.type": "_OTHER",
      "messaging.destination.name": "lots",
      "messaging.operation.name": "process",
    }),
  ).toMatchObject({ side: "takes", name: "process lots", failed: true });
  // A figure of something else, and one that says nothing of what was asked.
  expect(of("process.cpu", {})).toBeUndefined();
  expect(of("http.server.request.duration.count", {})).toBeUndefined();
  // Nobody waits for what is done with messages.
  expect(ANSWER_COUNTS).toEqual(["http.server.request.duration.count", "rpc.server.duration.count"]);
});
