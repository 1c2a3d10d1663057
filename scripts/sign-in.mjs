// Signs in as one of the demonstration's made-up people, for scripts and tests that ask its pages.

/** Waits until pages are served, then signs in by one click; the cookie to send from then on. */
export async function signIn(base, person = "Sunniva Okafor") {
  const page = await fetch(`${base}/sign-in`);
  const html = await page.text();
  // The buttons of the page: each carries its account, and begins with the name.
  const account = new RegExp(`value="(\\d+)"[^>]*><strong>${person}<`).exec(html)?.[1];
  if (!account) throw new Error(`The sign-in page does not offer ${person}.`);
  const answer = await fetch(`${base}/sign-in`, {
    method: "POST",
    redirect: "manual",
    body: new URLSearchParams({ way: "demo", accountId: account }),
  });
  const cookie = answer.headers.get("set-cookie")?.split(";")[0];
  if (!cookie) throw new Error(`Signing in as ${person} answered ${answer.status}.`);
  return cookie;
}

/** The same for a browser of Playwright: every page of the context is signed in. */
export async function signInBrowser(context, base, person) {
  const [name, value] = (await signIn(base, person)).split("=");
  await context.addCookies([{ name, value, url: base, httpOnly: true, sameSite: "Strict" }]);
}

/** Sets the demonstration's clock, as somebody does on its page of drills. */
export async function setPace(base, pace) {
  const answer = await fetch(`${base}/setup/drills`, {
    method: "POST",
    headers: { cookie: await signIn(base), origin: base },
    body: new URLSearchParams({ intent: "pace", pace: String(pace) }),
  });
  const done = pace === 1 ? "keeps real time" : `${pace} times as fast as real time`;
  if (!answer.ok || !(await answer.text()).includes(done))
    throw new Error(`The clock could not be set: ${answer.status}.`);
}
