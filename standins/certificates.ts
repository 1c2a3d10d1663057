import "reflect-metadata";
import * as x509 from "@peculiar/x509";
import { createHash, webcrypto } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";

x509.cryptoProvider.set(webcrypto as Crypto);

const DAY_MS = 86_400_000;
const ALGORITHM = { name: "ECDSA", namedCurve: "P-256", hash: "SHA-256" } as const;

/** Key and certificate, PEM. */
export interface Identity {
  key: string;
  cert: string;
}

const pem = (label: string, bytes: ArrayBuffer) =>
  `-----BEGIN ${label}-----\n${(
    Buffer.from(bytes)
      .toString("base64")
      .match(/.{1,64}/g) ?? []
  ).join("\n")}\n-----END ${label}-----\n`;

/** Issues certificates of a pretended house: all under one authority, which is made at the start. */
export class Authority {
  private readonly ready: Promise<{ keys: CryptoKeyPair; cert: x509.X509Certificate }>;

  /** @param file where its key and certificate are kept, so that who trusts it still does after a new start */
  constructor(
    private readonly organisation: { domain: string; maker: string },
    file?: string,
  ) {
    this.ready = file === undefined ? this.make() : this.kept(file);
  }

  /** Its certificate, PEM. */
  async certificate(): Promise<string> {
    return `${(await this.ready).cert.toString("pem")}\n`;
  }

  private async kept(file: string) {
    if (!existsSync(file)) {
      const made = await this.make();
      const key = pem("PRIVATE KEY", await webcrypto.subtle.exportKey("pkcs8", made.keys.privateKey));
      writeFileSync(file, JSON.stringify({ key, cert: made.cert.toString("pem") }), { mode: 0o600 });
      return made;
    }
    const { key, cert } = JSON.parse(readFileSync(file, "utf8")) as Identity;
    const bytes = Buffer.from(key.replaceAll(/-----[A-Z ]+-----|\s/g, ""), "base64");
    const read = new x509.X509Certificate(cert);
    const keys: CryptoKeyPair = {
      privateKey: await webcrypto.subtle.importKey("pkcs8", bytes, ALGORITHM, true, ["sign"]),
      publicKey: await read.publicKey.export(),
    };
    return { keys, cert: read };
  }

  private async make() {
    const keys = (await webcrypto.subtle.generateKey(ALGORITHM, true, ["sign", "verify"])) as CryptoKeyPair;
    const cert = await x509.X509CertificateGenerator.createSelfSigned({
      name: `CN=${this.organisation.maker} house authority`,
      notBefore: new Date(Date.UTC(2020, 0, 1)),
      notAfter: new Date(Date.UTC(2040, 0, 1)),
      signingAlgorithm: ALGORITHM,
      keys,
      extensions: [new x509.BasicConstraintsExtension(true, 1, true)],
    });
    return { keys, cert };
  }

  /** A certificate for a host, good until an instant. */
  async issue(name: string, untilMs: number, address?: string): Promise<Identity> {
    const authority = await this.ready;
    const keys = (await webcrypto.subtle.generateKey(ALGORITHM, true, ["sign", "verify"])) as CryptoKeyPair;
    const full = `${name}.${this.organisation.domain}`;
    const cert = await x509.X509CertificateGenerator.create({
      serialNumber: createHash("sha256").update(`${full} ${untilMs}`).digest("hex").slice(0, 16),
      subject: `CN=${full}`,
      issuer: authority.cert.subject,
      notBefore: new Date(untilMs - 398 * DAY_MS),
      notAfter: new Date(untilMs),
      signingAlgorithm: ALGORITHM,
      publicKey: keys.publicKey,
      signingKey: authority.keys.privateKey,
      extensions: [
        new x509.SubjectAlternativeNameExtension([
          { type: "dns", value: full },
          ...(address === undefined ? [] : [{ type: "ip" as const, value: address }]),
        ]),
      ],
    });
    return {
      key: pem("PRIVATE KEY", await webcrypto.subtle.exportKey("pkcs8", keys.privateKey)),
      cert: `${cert.toString("pem")}\n`,
    };
  }
}
