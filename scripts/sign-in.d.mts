import type { BrowserContext } from "@playwright/test";

export function signIn(base: string, person?: string): Promise<string>;
export function signInBrowser(context: BrowserContext, base: string, person?: string): Promise<void>;
export function setPace(base: string, pace: number): Promise<void>;
