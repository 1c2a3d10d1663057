import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readOpenMetrics, ucumOf } from "#core/telemetry/openmetrics";

const families = (text: string) => {
  const read = readOpenMetrics(text);
  if (!read.ok) throw new Error(read.problem);
  return read.families;
};

// Source: OpenMetrics 1.0 (draft-richih-opsawg-openmetrics-00), section "Overall Structure", its full example.
const EXAMPLE = `# TYPE acme_http_router_request_seconds summary
# UNIT acme_http_router_request_seconds seconds
# HELP acme_http_router_request_seconds Latency though all of ACME's HTTP request router.
acme_http_router_request_seconds_sum{path="/api/v1",method="GET"} 9036.32
acme_http_router_request_seconds_count{path="/api/v1",method="GET"} 807283.0
acme_http_router_request_seconds_created{path="/api/v1",method="GET"} 1605281325.0
acme_http_router_request_seconds_sum{path="/api/v2",method="POST"} 479.3
acme_http_router_request_seconds_count{path="/api/v2",method="POST"} 34.0
acme_http_router_request_seconds_created{path="/api/v2",method="POST"} 1605281325.0
# TYPE go_goroutines gauge
# HELP go_goroutines Number of goroutines that currently exist.
go_goroutines 69
# TYPE process_cpu_seconds counter
# UNIT process_cpu_seconds seconds
# HELP process_cpu_seconds Total user and system CPU time spent in seconds.
process_cpu_seconds_total 4.20072246e+06
# EOF
`;

it("reads the specification's example", () => {
  const read = families(EXAMPLE);
  expect(read.map((one) => [one.name, one.type, one.unit, one.samples.length])).toEqual([
    ["acme_http_router_request_seconds", "summary", "seconds", 6],
    ["go_goroutines", "gauge", "", 1],
    ["process_cpu_seconds", "counter", "seconds", 1],
  ]);
  expect(read[0]?.samples[0]).toMatchObject({
    labels: [
      ["path", "/api/v1"],
      ["method", "GET"],
    ],
    value: 9036.32,
  });
  expect(read[2]?.samples[0]).toMatchObject({ name: "process_cpu_seconds_total", value: 4_200_722.46 });
});

// Source: the same, section "Exemplars": a histogram whose buckets carry traces.
it("reads exemplars and time stamps", () => {
  const read = families(
    `# TYPE foo histogram
foo_bucket{le="0.01"} 0
foo_bucket{le="0.1"} 8 # {} 0.054
foo_bucket{le="1"} 11 # {trace_id="KOO5S4vxi0o"} 0.67
foo_bucket{le="10"} 17 # {trace_id="oHg5SJYRHA0"} 9.8 1520879607.789
foo_bucket{le="+Inf"} 17
foo_count 17
foo_sum 324789.3
foo_created  1520430000.123
# EOF`.replace("created  ", "created "),
  );
  expect(read).toHaveLength(1);
  expect(read[0]?.samples[3]?.exemplar).toEqual({
    labels: [["trace_id", "oHg5SJYRHA0"]],
    value: 9.8,
    atMs: 1_520_879_607_789,
  });
  expect(read[0]?.samples[4]?.labels).toEqual([["le", "+Inf"]]);
  expect(families("a 1 1520879607.789\n")[0]?.samples[0]?.atMs).toBeCloseTo(1_520_879_607_789, 0);
  expect(families("a 1 1520879607789\n")[0]?.samples[0]?.atMs).toBe(1_520_879_607_789);
});

// Source: the same, section "ABNF": escaped values, and the numbers that are none.
it.each([
  ['a{b="x\\"y\\\\z\\n"} 1', [["b", 'x"y\\z\n']], 1],
  ["a NaN", [], Number.NaN],
  ["a +Inf", [], Number.POSITIVE_INFINITY],
  ["a -Inf", [], Number.NEGATIVE_INFINITY],
  ["a{} 1.5e-3", [], 0.0015],
] as const)("reads %s", (line, labels, value) => {
  expect(families(line)[0]?.samples[0]).toMatchObject({ labels, value });
});

describe("what is not OpenMetrics", () => {
  it.each(["a", "a b", '{x="y"} 1', "a{x=1} 1", 'a{x="y} 1', "<html>", "a 1 2 3", 'a 1 # {x="y"} z'])(
    "%s is told with its line",
    (line) => {
      expect(readOpenMetrics(`ok 1\n${line}\n`)).toMatchObject({
        ok: false,
        problem: expect.stringContaining("Line 2"),
      });
    },
  );
  it("a page that breaks off says so", () => {
    expect(readOpenMetrics("a 1\n")).toMatchObject({ ok: true, complete: false });
    expect(readOpenMetrics("a 1\n# EOF\n")).toMatchObject({ ok: true, complete: true });
  });
});

it("knows the units by their usual code", () => {
  expect(["seconds", "bytes", "ratio", "", "trucks"].map(ucumOf)).toEqual(["s", "By", "1", "1", "trucks"]);
});

describe("whatever a page says", () => {
  const word = fc.stringMatching(/^[a-z_:][a-z0-9_:]{0,8}$/);
  const label = fc.tuple(fc.stringMatching(/^[a-z_][a-z0-9_]{0,6}$/), fc.string({ unit: "grapheme", maxLength: 10 }));
  const escaped = (value: string) => value.replaceAll("\\", "\\\\").replaceAll("\n", "\\n").replaceAll('"', '\\"');
  const value = fc.oneof(fc.double({ noNaN: true }), fc.integer());
  const written = (given: number) =>
    given === Number.POSITIVE_INFINITY ? "+Inf" : given === Number.NEGATIVE_INFINITY ? "-Inf" : String(given);

  it("is read back as it was written, labels with quotes, backslashes and line ends too", () =>
    fc.assert(
      fc.property(
        word,
        fc.uniqueArray(label, { selector: ([name]) => name, maxLength: 4 }),
        value,
        (name, labels, given) => {
          const text = `${name}${labels.length ? `{${labels.map(([key, one]) => `${key}="${escaped(one)}"`).join(",")}}` : ""} ${written(given)}\n# EOF\n`;
          const read = readOpenMetrics(text);
          if (!read.ok) throw new Error(read.problem);
          const sample = read.families[0]?.samples[0];
          expect(sample?.name).toBe(name);
          expect(sample?.labels).toEqual(labels);
          expect(Object.is(sample?.value, given) || sample?.value === given).toBe(true);
        },
      ),
    ));
  it("never throws, and what cannot be read is named by its line", () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.string({ maxLength: 30 }),
            fc.constantFrom(
              "# TYPE a counter",
              "a_total 1",
              'a_bucket{le="1"} 2 # {trace_id="x"} 1',
              "# EOF",
              "a{",
              'a{b="',
            ),
          ),
          { maxLength: 8 },
        ),
        (lines) => {
          const read = readOpenMetrics(lines.join("\n"));
          if (!read.ok) expect(read.problem).toMatch(/^(Line \d+ is not OpenMetrics|The page has more than)/);
        },
      ),
    ));
});

// Source: the text exposition format 0.0.4, which OpenMetrics grew from; its example, from memory. It has no end mark, its
// times are milliseconds, its counters are typed by their whole name, and blanks stand where they like.
it("reads the older text format 0.0.4", () => {
  const read = families(`# HELP http_requests_total The total number of HTTP requests.
# TYPE http_requests_total counter
http_requests_total{method="post",code="200"} 1027 1395066363000
http_requests_total{method="post",code="400"}    3 1395066363000

# Escaping in label values:
msdos_file_access_time_seconds{path="C:\\\\DIR\\\\FILE.TXT",error="Cannot find file:\\n\\"FILE.TXT\\""} 1.458255915e9

# Minimalistic line:
metric_without_timestamp_and_labels 12.47
#TYPE is no keyword without its blank
# \tTYPE  blanks   gauge
blanks { a = "1" ,\tb="2", } \t4
# TYPE rpc_duration_seconds summary
rpc_duration_seconds{quantile="0.01"} 3102
rpc_duration_seconds_sum 1.7560473e+07
rpc_duration_seconds_count 2693
`);
  expect(read.map((one) => [one.name, one.type, one.samples.length])).toEqual([
    ["http_requests_total", "counter", 2],
    ["msdos_file_access_time_seconds", "unknown", 1],
    ["metric_without_timestamp_and_labels", "unknown", 1],
    ["blanks", "gauge", 1],
    ["rpc_duration_seconds", "summary", 3],
  ]);
  expect(read[0]?.samples[1]).toMatchObject({ value: 3, atMs: 1_395_066_363_000 });
  expect(read[1]?.samples[0]?.labels[0]).toEqual(["path", "C:\\DIR\\FILE.TXT"]);
  expect(read[3]?.samples[0]).toMatchObject({
    value: 4,
    labels: [
      ["a", "1"],
      ["b", "2"],
    ],
  });
});
