/**
 * Probability that all of `servers` are busy and an arrival is lost (Erlang B), by the stable recursion of its inverse.
 *
 * @param offered arrivals a second times mean service time, in erlang
 */
export function erlangB(servers: number, offered: number): number {
  if (offered <= 0) return 0;
  let inverse = 1;
  for (let server = 1; server <= servers; server++) inverse = 1 + (inverse * server) / offered;
  return 1 / inverse;
}

/** Probability that an arrival has to wait (Erlang C); 1 where the servers cannot keep up. */
export function erlangC(servers: number, offered: number): number {
  if (offered >= servers) return 1;
  const lost = erlangB(servers, offered);
  return lost / (1 - (offered / servers) * (1 - lost));
}

/**
 * Mean wait before service in M/M/c; infinite where the servers cannot keep up.
 *
 * @param perSecond arrivals a second
 * @param serviceSeconds mean service time
 */
export function waitMMc(servers: number, perSecond: number, serviceSeconds: number): number {
  const offered = perSecond * serviceSeconds;
  if (offered <= 0) return 0;
  if (offered >= servers) return Number.POSITIVE_INFINITY;
  return (erlangC(servers, offered) * serviceSeconds) / (servers - offered);
}

/**
 * Mean wait in G/G/c by Allen and Cunneen: that of M/M/c times the mean of the two squared coefficients of variation.
 * With one server and Poisson arrivals it is the formula of Pollaczek and Khinchine.
 */
export function waitGGc(
  servers: number,
  perSecond: number,
  serviceSeconds: number,
  arrivalCv2: number,
  serviceCv2: number,
): number {
  return (waitMMc(servers, perSecond, serviceSeconds) * (arrivalCv2 + serviceCv2)) / 2;
}

/**
 * How much longer work on shared processors takes than on an idle machine: M/M/c response over service time.
 *
 * @param cores processors, not necessarily whole
 * @param used processors in use; counted as 97 % of them at most
 */
export function stretchOf(cores: number, used: number): number {
  const share = Math.min(0.97, used / cores);
  if (share <= 0) return 1;
  const whole = Math.max(1, Math.round(cores));
  return 1 + erlangC(whole, share * whole) / (whole * (1 - share));
}

/**
 * Chance that an answer takes longer than a time-out, where a fixed delay comes before a time that is spread
 * exponentially about its mean; and the mean time until either.
 */
export function untilTimeout(
  delaySeconds: number,
  meanSeconds: number,
  timeoutSeconds: number,
): { late: number; seconds: number } {
  if (delaySeconds >= timeoutSeconds) return { late: 1, seconds: timeoutSeconds };
  const left = timeoutSeconds - delaySeconds;
  // What is spread about a mean of a few milliseconds never comes near the time-out.
  if (meanSeconds * 40 < left) return { late: 0, seconds: delaySeconds + meanSeconds };
  const late = Math.exp(-left / meanSeconds);
  return { late, seconds: delaySeconds + meanSeconds * (1 - late) };
}

/**
 * Attempts that a call takes on average, and the chance that all of them fail.
 *
 * @param failing chance that one attempt fails
 */
export function attemptsOf(failing: number, retries: number): { attempts: number; failed: number } {
  if (failing <= 0) return { attempts: 1, failed: 0 };
  const failed = failing ** (retries + 1);
  return { attempts: failing >= 1 ? retries + 1 : (1 - failed) / (1 - failing), failed };
}
