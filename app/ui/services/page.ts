import type { Answer } from "#server/pages/registry";

export type ServiceFormPage = NonNullable<Answer<"serviceForm">>;
