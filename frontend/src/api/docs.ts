import "swagger-ui-dist/swagger-ui.css";
import SwaggerUI from "swagger-ui-dist/swagger-ui-es-bundle.js";

/** The API to be read and tried, out of the program itself; who is signed in tries it as that person. */
interface Request {
  method?: string;
  headers: Record<string, string>;
}
let token: Promise<string> | undefined;
async function withToken(request: Request): Promise<Request> {
  if ((request.method ?? "GET") === "GET") return request;
  token ??= fetch("/api/me")
    .then((answer) => (answer.ok ? answer.json() : {}))
    .then((me: { csrf_token?: string }) => me.csrf_token ?? "");
  request.headers["X-CSRF-Token"] = await token;
  return request;
}
SwaggerUI({
  url: "/api/openapi.json",
  dom_id: "#api",
  deepLinking: true,
  docExpansion: "none",
  defaultModelsExpandDepth: 0,
  tagsSorter: "alpha",
  requestInterceptor: withToken,
});
