import type { Holotaxis } from "#server/http/context";

/** Where this server takes signals by HTTP, as whoever asks reaches it. */
export const receiverOf = ({ receivePorts, certificate }: Holotaxis, request: Request): string =>
  `${certificate() ? "https" : "http"}://${new URL(request.url).hostname}:${receivePorts.otlp || 4318}`;
