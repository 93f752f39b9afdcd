import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./generated/schema";

export type Schemas = components["schemas"];
/** What may be asked behind the question mark of a path. */
export type QueryOf<P extends keyof paths, M extends keyof paths[P]> = paths[P][M] extends {
  parameters: { query?: infer Q };
}
  ? NonNullable<Q>
  : never;

/** An answer that says no: words for a person, and the fields it is about. */
export class ProblemError extends Error {
  constructor(
    readonly code: string,
    readonly status: number,
    message: string,
    readonly fields: Record<string, string>,
  ) {
    super(message);
  }
}

let csrfToken = "";
export function rememberToken(token: string): void {
  csrfToken = token;
}

const guard: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRF-Token", csrfToken);
    return request;
  },
  async onResponse({ response }) {
    if (!response.ok) throw await problemOf(response);
    return response;
  },
};

async function problemOf(response: Response): Promise<ProblemError> {
  const body = (await response.json().catch(() => ({}))) as Partial<Schemas["Problem"]>;
  return new ProblemError(
    body.code ?? "unknown",
    response.status,
    body.detail ?? `The server answered with ${response.status}. Nothing was lost; try again.`,
    body.fields ?? {},
  );
}

const client = createClient<paths>({ baseUrl: "" });
client.use(guard);
export const api = client;

/** Unwrap an answer; problems have been thrown already. */
export function need<T>(answer: { data?: T }): T {
  if (answer.data === undefined)
    throw new ProblemError("empty", 500, "The server sent an empty answer.", {});
  return answer.data;
}

/** Send a file in a form; the answer is JSON, a refusal is thrown like any other. */
export async function sendFile<T>(
  path: string,
  file: File,
  method = "POST",
  beside: Record<string, string> = {},
): Promise<T> {
  const body = new FormData();
  for (const [name, value] of Object.entries(beside)) body.append(name, value);
  body.append("file", file);
  const answer = await fetch(path, { method, body, headers: { "X-CSRF-Token": csrfToken } });
  if (!answer.ok) throw await problemOf(answer);
  return (await answer.json()) as T;
}

export function words(error: unknown): string {
  if (error instanceof ProblemError) {
    const fields = Object.entries(error.fields).map(([field, what]) => `${field}: ${what}`);
    return [error.message, ...fields].join(" ");
  }
  if (error instanceof TypeError)
    return "The server does not answer. What you typed is still here; try again.";
  return error instanceof Error ? error.message : String(error);
}
