import { randomBytes, randomUUID } from "node:crypto";
import { pathToFileURL } from "node:url";
import { createRequestHandler } from "@react-router/express";
import compression from "compression";
import express, { type ErrorRequestHandler, type Express, type RequestHandler } from "express";
import { ipKeyGenerator, rateLimit } from "express-rate-limit";
import helmet from "helmet";
import type { Logger } from "pino";
import type { ServerBuild } from "react-router";
import type { Principal } from "../people/principal";
import type { Holotaxis } from "./context";
import type { Door } from "./door";
import { grant, type Parts } from "./entrance";
import type { HostNames } from "./host-names";
import type { LiveUpdates } from "./live";

export interface AppOptions {
  root: string;
  clientFolder: string;
  serverBuild: string;
  log: Logger;
  live: LiveUpdates;
  /** Names that are answered: a page of another site that points its name at us is refused. */
  hostNames: HostNames;
  /** What requests may use, each as far as whoever sends it may. */
  parts: Parts;
  holotaxis: Omit<
    Holotaxis,
    "nonce" | "who" | "ask" | "command" | "tell" | "arrivals" | "mail" | "runSql" | "entrance"
  >;
}

const MOST_BODY = 262_144;
/** Where whole files are sent as they are, and how many bytes they may have; they go to the disk as they come. */
const FILES: Readonly<Record<string, number>> = { "/estate/spend/file": 4 * 1024 ** 3 };

/** Methods that pages and forms use; forms of the browser, and what our own pages send. */
const METHODS: ReadonlySet<string> = new Set(["GET", "HEAD", "POST"]);
const BODIES = /^(application\/x-www-form-urlencoded|multipart\/form-data|application\/json)\b/;

/** What is wrong with the head of a request, or undefined. */
function wrongHead({ method, url, headers }: express.Request): [status: number, sentence: string] | undefined {
  if (!METHODS.has(method)) return [405, "Pages are read by GET and changed by POST."];
  try {
    decodeURIComponent(url.split("?")[0] ?? "");
  } catch {
    return [400, "This address is not percent-encoded UTF-8."];
  }
  if (method !== "POST") return undefined;
  // Node.js takes no more bytes than the head says; without it there would be no end.
  const length = headers["content-length"];
  if (length === undefined) return [411, "Say how long it is: Content-Length."];
  const mostOfFile = Object.hasOwn(FILES, url.split("?")[0] ?? "") ? FILES[url.split("?")[0] ?? ""] : undefined;
  if (mostOfFile !== undefined) {
    if (Number(length) > mostOfFile)
      return [413, "The file is over 4 GiB. Cut it into files of a month or an account each."];
    return headers["content-type"] === "application/octet-stream" ? undefined : [415, "Send the file as it is."];
  }
  if (Number(length) > MOST_BODY) return [413, "That is too much to take in at once; at most 256 KiB."];
  if (Number(length) > 0 && !BODIES.test(headers["content-type"] ?? ""))
    return [415, "Changes are sent as a form or as JSON."];
  return undefined;
}

/** Refuses what no browser sends before any page sees it. */
const onlyWellFormed: RequestHandler = (request, response, next) => {
  const wrong = wrongHead(request);
  if (!wrong) return next();
  const [status, sentence] = wrong;
  if (status === 405) response.set("Allow", [...METHODS].join(", "));
  response.status(status).type("text/plain").send(sentence);
};

/** Answers only under our own names, and gives each answer a nonce of its own. */
const underOurName =
  (hostNames: HostNames): RequestHandler =>
  (request, response, next) => {
    response.locals.nonce = randomBytes(16).toString("base64");
    if (hostNames.isOurs(request.headers.host)) return next();
    response
      .status(421)
      .type("text/plain")
      .send("This address does not belong to Holotaxis. Open the address it printed at its start.");
  };

/** What browsers are told of our pages: what they may load, who may frame them. */
const secureHeaders = (isSecure: boolean): RequestHandler =>
  helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        scriptSrc: [
          "'self'",
          (_request, response) => `'nonce-${(response as express.Response).locals.nonce as string}'`,
        ],
        // The interface library writes style elements while it runs.
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", "data:"],
        fontSrc: ["'self'"],
        connectSrc: ["'self'"],
        manifestSrc: ["'self'"],
        formAction: ["'self'"],
        baseUri: ["'none'"],
        frameAncestors: ["'none'"],
      },
    },
    strictTransportSecurity: isSecure ? { maxAge: 31_536_000, includeSubDomains: false } : false,
    referrerPolicy: { policy: "same-origin" },
  });

/** A form of another site is refused by where it says it comes from, besides the same-site cookie. */
const fromOurPages =
  (hostNames: HostNames): RequestHandler =>
  ({ method, headers }, response, next) => {
    const site = headers["sec-fetch-site"];
    const isOurs =
      (site === undefined || site === "same-origin" || site === "none") && hostNames.isOwnOrigin(headers.origin);
    if (method === "GET" || method === "HEAD" || isOurs) return next();
    response.status(403).type("text/plain").send("Changes are taken from Holotaxis' own pages only.");
  };

/** So many requests an address; behind a proxy it is the one that the proxy names. */
const limited = (door: Door): RequestHandler =>
  rateLimit({
    windowMs: 10_000,
    limit: 600,
    standardHeaders: "draft-7",
    legacyHeaders: false,
    message: "Too many requests in ten seconds. Wait a little.",
    keyGenerator: (request) => ipKeyGenerator(door.addressOf(request)),
  });

/** Opens a line of live updates for whoever may read. */
const openLine =
  ({ parts: { door }, live }: AppOptions): RequestHandler =>
  async (request, response) => {
    const who = await door.identify(request);
    const isWelcome = async () => (await door.identify(request))?.rights.includes("read") ?? false;
    if (who?.rights.includes("read")) live.open(who, isWelcome, request, response);
    else response.status(401).type("text/plain").send("Sign in first.");
  };

/** Notes who sends a request. */
const knowSender =
  (door: Door): RequestHandler =>
  async (request, response, next) => {
    // What pages say is for whoever is signed in; only what says otherwise may be kept.
    response.set("Cache-Control", "no-store");
    const who = await door.identify(request);
    // A program does not follow a page to the sign-in.
    if (!who && request.headers.authorization !== undefined) {
      response.status(401).set("WWW-Authenticate", "Bearer").type("text/plain");
      response.send("This token is unknown, revoked or too old.");
      return;
    }
    response.locals.who = who;
    next();
  };

/** Answers what failed: refusals of Express with their status, faults with a reference to the log. */
const failureAnswer =
  (log: Logger): ErrorRequestHandler =>
  (error, request, response, _next) => {
    const status = (error as { status?: number }).status ?? 500;
    const answer = (code: number, sentence: string) => {
      if (!response.headersSent) response.status(code).type("text/plain").send(sentence);
    };
    if (status === 404) return answer(404, "There is no such file.");
    // A path that leads outside, a range that is none.
    if (status >= 400 && status < 500) return answer(status, "This request is not as it should be.");
    const reference = randomUUID().slice(0, 8);
    log.error({ err: error, reference, path: request.path }, "a request failed");
    answer(500, `Something went wrong. Its reference in the log is ${reference}.`);
  };

/** The Express server round the pages: headers, limits, files, live updates, then React Router. */
export async function makeApp(options: AppOptions): Promise<Express> {
  const { hostNames, parts, clientFolder } = options;
  const app = express();
  app.disable("x-powered-by");
  app.use(underOurName(hostNames), secureHeaders(parts.isSecure), fromOurPages(hostNames), onlyWellFormed);
  const limiter = limited(parts.door);
  app.get("/live", limiter, openLine(options));
  // Packing costs more than it saves on the way to a browser on the same machine.
  app.use(
    compression({
      filter: (request, response) =>
        !/^(::ffff:)?127\.|^::1$/.test(request.socket.remoteAddress ?? "") && compression.filter(request, response),
    }),
  );
  app.use("/assets", express.static(`${clientFolder}/assets`, { immutable: true, maxAge: "1y", fallthrough: false }));
  app.use(express.static(clientFolder, { maxAge: "1h", index: false }));
  app.use(limiter, knowSender(parts.door));
  const build = (await import(pathToFileURL(options.serverBuild).href)) as ServerBuild;
  app.all(
    "*splat",
    createRequestHandler({
      build,
      mode: "production",
      getLoadContext: (request, response) => {
        const { nonce, who } = response.locals as { nonce: string; who: Principal | undefined };
        return { ...options.holotaxis, ...grant(parts, who ?? null, request), nonce } as never;
      },
    }),
  );
  app.use(failureAnswer(options.log));
  return app;
}
