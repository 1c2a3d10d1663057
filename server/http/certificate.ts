import { X509Certificate } from "node:crypto";
import { readFileSync, statSync } from "node:fs";
import { createSecureContext } from "node:tls";
import { DAY_MS } from "#core/time/windows";

/** Files are looked at this often; a certificate is renewed seldom. */
const LOOK_MS = 10_000;
/** A certificate that ends within this time is told of. */
const SOON_MS = 21 * DAY_MS;

export interface Pair {
  cert: string;
  key: string;
}

/** What of a certificate is shown: for whom it is, and until when, machine time. */
export interface CertificateState {
  names: string;
  endsAt: number;
  /** Why the file that is there now is not used; null where it is. */
  problem: string | null;
}

/** Certificate and key of the pages and receivers, from files; taken up anew when they change. */
export class Certificate {
  private pair: Pair;
  private changedMs: number;
  private timer: ReturnType<typeof setInterval> | undefined;
  private problem: string | null = null;
  private readonly users: { setSecureContext(pair: Pair): void }[] = [];

  /** Throws an Error with a sentence when the files cannot be used. */
  constructor(
    private readonly certFile: string,
    private readonly keyFile: string,
    private readonly onProblem: (sentence: string) => void = () => undefined,
  ) {
    this.pair = this.read();
    this.changedMs = this.changeOf();
    this.sayWhenSoon();
  }

  get current(): Pair {
    return this.pair;
  }

  state(): CertificateState {
    const read = new X509Certificate(this.pair.cert);
    return {
      names: (read.subjectAltName ?? read.subject).replaceAll("DNS:", "").replaceAll("IP Address:", ""),
      endsAt: Date.parse(read.validTo),
      problem: this.problem,
    };
  }

  /** Has a server take up what the files hold later on. */
  follow(server: { setSecureContext(pair: Pair): void }): void {
    this.users.push(server);
    this.timer ??= setInterval(() => this.look(), LOOK_MS);
    this.timer.unref();
  }

  /** Takes the files up when they changed; what cannot be used is said, and the one before stays. */
  look(): void {
    let changedMs: number;
    try {
      changedMs = this.changeOf();
    } catch {
      // Between taking the old away and putting the new there.
      return;
    }
    if (changedMs === this.changedMs) return;
    this.changedMs = changedMs;
    try {
      this.pair = this.read();
      this.problem = null;
      for (const server of this.users) server.setSecureContext(this.pair);
      this.sayWhenSoon();
    } catch (error) {
      this.problem = error instanceof Error ? error.message : String(error);
      this.onProblem(`${this.problem} The certificate before stays in use.`);
    }
  }

  close(): void {
    clearInterval(this.timer);
  }

  private sayWhenSoon(): void {
    const { endsAt } = this.state();
    const left = endsAt - Date.now();
    if (left < SOON_MS)
      this.onProblem(
        left < 0
          ? `The certificate in ${this.certFile} ended on ${new Date(endsAt).toISOString().slice(0, 10)}.`
          : `The certificate in ${this.certFile} ends on ${new Date(endsAt).toISOString().slice(0, 10)}. Renew it; it is taken up by itself.`,
      );
  }

  private changeOf = (): number => Math.max(statSync(this.certFile).mtimeMs, statSync(this.keyFile).mtimeMs);

  private read(): Pair {
    let pair: Pair;
    try {
      pair = { cert: readFileSync(this.certFile, "utf8"), key: readFileSync(this.keyFile, "utf8") };
    } catch {
      throw new Error(`The certificate ${this.certFile} or its key ${this.keyFile} cannot be read.`);
    }
    try {
      const read = new X509Certificate(pair.cert);
      createSecureContext(pair);
      if (Number.isNaN(Date.parse(read.validTo))) throw new Error("no end");
    } catch {
      throw new Error(`${this.certFile} and ${this.keyFile} are not a certificate and its key in PEM form.`);
    }
    return pair;
  }
}
