import { parseArgs } from "node:util";

export const USAGE = `node build/run/server/main.js [options]

  --data DIR                  where the store and the keys are kept, ./data if left out
  --host ADDRESS              address that the pages listen on, 127.0.0.1 if left out
  --public-name NAME          name under which the pages are opened, with its port where that is another; may be repeated
  --tls-cert FILE             certificate with which pages and OTLP are served by TLS, with its chain, PEM
  --tls-key FILE              its key, PEM
  --behind-proxy              a proxy does TLS, and says in X-Forwarded-For where requests come from
  --port N                    port of the pages, 7070 if left out
  --otlp-port N               port that OTLP is received on, 4318 if left out; 0 for none
  --grpc-port N               port that OTLP is received on by gRPC, 4317 if left out; 0 for none
  --syslog-port N             port that syslog is received on, 5514 if left out; 0 for none
  --trap-port N               port that notifications of SNMP are received on, 1162 if left out; 0 for none
  --receive-token-file FILE   a token with which signals may be sent, besides those of Setup › Tokens
  --receive-without-token     take signals from everybody who reaches the port
  --read-only-from LIST       addresses and names from which pages of figures are read, as 10.0.1.0/24,*.ops.example
  --enrol-code-file FILE      a code with which agents can enrol within a day
  --setup FILE                set-up of a new store: sources, services, endpoints
  --root DIR                  folder of the program, this one if left out
  --now INSTANT               start the clock there, for example 2026-03-17T10:00:00Z
  --pace N                    let the clock run N times as fast
  --help                      this list
`;

const OPTIONS = {
  root: { type: "string", default: process.cwd() },
  data: { type: "string", default: "data" },
  host: { type: "string", default: "127.0.0.1" },
  "public-name": { type: "string", multiple: true, default: [] as string[] },
  "tls-cert": { type: "string" },
  "tls-key": { type: "string" },
  "behind-proxy": { type: "boolean", default: false },
  port: { type: "string", default: "7070" },
  now: { type: "string" },
  // The next four are set by the demonstration.
  base: { type: "string" },
  machine: { type: "string" },
  standins: { type: "string" },
  history: { type: "string", default: "P14D" },
  pace: { type: "string", default: "1" },
  setup: { type: "string" },
  "otlp-port": { type: "string", default: "4318" },
  "trap-port": { type: "string", default: "1162" },
  "grpc-port": { type: "string", default: "4317" },
  "syslog-port": { type: "string", default: "5514" },
  "receive-token-file": { type: "string" },
  "receive-without-token": { type: "boolean", default: false },
  "read-only-from": { type: "string" },
  "enrol-code-file": { type: "string" },
  help: { type: "boolean", default: false },
} as const;

export type Options = ReturnType<typeof parseArgs<{ options: typeof OPTIONS }>>["values"];

/**
 * Reads the command line; returns a sentence that says what is wrong, with the list of options, where it cannot be
 * read.
 */
export function readOptions(args: string[]): Options | string {
  try {
    return parseArgs({ args, options: OPTIONS }).values;
  } catch (error) {
    const given = /Unknown option '([^']+)'/.exec((error as Error).message)?.[1];
    const what = given === undefined ? (error as Error).message : `There is no option “${given}”.`;
    return `${what}\n\n${USAGE}`;
  }
}
