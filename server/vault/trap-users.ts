import type { TrapUser } from "../receivers/traps";
import { listCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import type { Vault } from "./vault";

/** The SNMPv3 users of the vault: who polls devices as them knows notifications that are signed as them. */
export const trapUsersOf = (db: Db, vault: Pick<Vault, "use">): TrapUser[] =>
  listCredentials(db)
    .filter((one) => one.kind === "snmp-user")
    .map((one) => {
      const { fields } = vault.use(one, "receiving notifications");
      return {
        user: fields.user ?? "",
        authentication: fields.authentication ?? "none",
        authenticationKey: fields.authenticationKey ?? "",
        privacy: fields.privacy ?? "none",
        privacyKey: fields.privacyKey ?? "",
      };
    });
