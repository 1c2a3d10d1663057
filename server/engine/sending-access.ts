import { destinationsCover } from "#core/estate/destinations";
import { hashOf } from "../people/codes";
import { SEND_ALL, type SendingToken } from "../receivers/sender-tokens";
import { takeAnswered } from "../sources/range/snmp-access";
import { credentialById } from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import { endpoints, type EndpointFields } from "../store/endpoints";
import { sendingTokens } from "../store/tokens";
import { kindOfCredential, type Access } from "../vault/kinds";
import { mayBeUsedAt, type Vault } from "../vault/vault";

/** How often the uses of credentials are taken down, clock time. */
const USES_EVERY_MS = 60_000;

/** What an endpoint is scraped with. Throws a PersonError where it may not be. */
export function accessToEndpoint(
  db: Db,
  vault: Vault,
  readOnlyFrom: string | undefined,
  { url, credentialId }: EndpointFields,
): Access | undefined {
  const { hostname } = new URL(url);
  if (readOnlyFrom !== undefined && !destinationsCover(readOnlyFrom, hostname))
    throw new PersonError(`Pages are not read from ${hostname} here: it is not on the list of --read-only-from.`);
  if (credentialId === null || credentialId === undefined) return undefined;
  const credential = credentialById(db, credentialId);
  if (!credential || kindOfCredential(credential.kind)?.serves !== "http")
    throw new PersonError("Choose a credential for HTTP.");
  if (!mayBeUsedAt(credential, hostname))
    throw new PersonError(`${credential.name} is not for ${hostname}. Add it to its destinations first.`);
  return vault.use(credential, `scraping ${url}`);
}

/** Who may send signals: open tokens of the store, and the one of a file. */
export function tokensThatSend(db: Db, ofFile: string | undefined): SendingToken[] {
  return [
    ...sendingTokens(db, Date.now()).map((token) => ({ ...token, hash: token.hash.toString("base64") })),
    ...(ofFile === undefined
      ? []
      : [{ id: 0, hash: hashOf(ofFile).toString("base64"), scope: SEND_ALL, endsAt: null }]),
  ];
}

/** Takes down which credentials were answered to, once a minute. */
export class CredentialUses {
  private notedMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly db: Db,
    private readonly vault: Vault,
    private readonly scraped: () => readonly { id: number; problem: string | null }[],
  ) {}

  note(atMs: number): void {
    if (atMs - this.notedMs < USES_EVERY_MS && atMs >= this.notedMs) return;
    this.notedMs = atMs;
    this.db.transaction(() => {
      for (const [id, address] of takeAnswered()) this.vault.note(id, `SNMP at ${address}`, null);
      const known = new Map(endpoints(this.db).map((one) => [one.id, one]));
      for (const { id, problem } of this.scraped()) {
        const endpoint = known.get(id);
        if (endpoint?.credentialId != null) this.vault.note(endpoint.credentialId, `scraping ${endpoint.url}`, problem);
      }
    })();
  }
}
