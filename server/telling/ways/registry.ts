import { browser } from "./browser";
import { chat } from "./chat";
import { mail } from "./mail";
import type { Way } from "./way";
import { webhook } from "./webhook";

/** Every way of telling; a new one is a line here. */
export const WAYS: readonly Way[] = [mail, webhook, chat, browser];

export const wayOf = (kind: string): Way | undefined => WAYS.find((one) => one.kind === kind);
