import { fieldsOf } from "../forms/fields";
import { placeOf, reachOf } from "../vault/reach";
import { credentialById, listCredentials, sourcesOfCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { hostKeyOf } from "../store/host-keys";
import { CREDENTIAL_KINDS, kindOfCredential } from "../vault/kinds";
import { mayBeUsedAt } from "../vault/vault";

const labelOf = (kind: string) => kindOfCredential(kind)?.label ?? kind;

/** Every credential with who uses it and how that went; never its secret. */
export function credentialsPage(db: Db, _question: object) {
  const users = sourcesOfCredentials(db);
  return listCredentials(db).map((one) => ({ ...one, kindLabel: labelOf(one.kind), sources: users.get(one.id) ?? [] }));
}

/** The form of a credential: the kinds that can be added, or one that is there. */
export function credentialPage(db: Db, { id, kind }: { id: number | null; kind: string }) {
  const credential = id === null ? undefined : credentialById(db, id);
  if (id !== null && !credential) return null;
  const chosen = kindOfCredential(credential?.kind ?? kind) ?? CREDENTIAL_KINDS[0];
  if (!chosen) return null;
  return {
    credential: credential
      ? { ...credential, kindLabel: chosen.label, sources: sourcesOfCredentials(db).get(credential.id) ?? [] }
      : null,
    kind: { id: chosen.id, label: chosen.label, serves: chosen.serves },
    kinds: CREDENTIAL_KINDS.map(({ id: value, label }) => ({ value, label })),
    open: fieldsOf(chosen.open, credential?.about),
    sealed: fieldsOf(chosen.sealed),
  };
}

/** How commands get to a component, what vouches for that, and what can be changed about it. */
export function accessPage(db: Db, { id, nowMs }: { id: number; nowMs: number }) {
  const component = componentById(db, id);
  if (!component) return null;
  const place = placeOf(db, component, nowMs);
  const reach = reachOf(db, component, nowMs);
  const key = place && hostKeyOf(db, place.address, place.port);
  return {
    component: { id: component.id, name: component.name },
    place: place ?? null,
    key: key ?? null,
    reach:
      "problem" in reach
        ? { problem: reach.problem, why: undefined, credentials: undefined }
        : {
            problem: undefined,
            why: reach.why,
            credentials: reach.credentials.map(({ id: one, name }) => ({ id: one, name })),
          },
    candidates: listCredentials(db)
      .filter((one) => kindOfCredential(one.kind)?.serves === "ssh" && place && mayBeUsedAt(one, place.address))
      .map(({ id: one, name }) => ({ id: one, name })),
  };
}
