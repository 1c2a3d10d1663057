/** Codes after google.rpc.Code, which gRPC answers with and OTLP over HTTP says in its body. */
export const CODE = {
  invalid: 3,
  notFound: 5,
  forbidden: 7,
  exhausted: 8,
  unimplemented: 12,
  internal: 13,
  unavailable: 14,
  unauthenticated: 16,
} as const;

/** An answer other than success: its HTTP status, its code after google.rpc.Code, a sentence. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: number,
    message: string,
    readonly retryAfterSeconds?: number,
  ) {
    super(message);
  }
}

export const tooMuch = () =>
  new Refusal(429, CODE.exhausted, "Too much is under way. Send it again a little later.", 1);

export const starting = () => new Refusal(503, CODE.unavailable, "Holotaxis is starting; send it again.", 1);

export const noToken = () =>
  new Refusal(
    401,
    CODE.unauthenticated,
    "Present a token that is good for sending: Authorization: Bearer, a space, and the token from Setup › Tokens.",
  );
