// A tool server that wants a login at an authorization server of a well-kept library, both on loopback. Its packages are found from
// the folder that it is started in. The first argument says what is wrong with them. Prints the tool server's address, the authorization
// server's, and a token that the library has issued.
import { createRequire } from "node:module";
import { createServer } from "node:http";
import { pathToFileURL } from "node:url";

const from = createRequire(`${process.cwd()}/`);
const { Provider } = await import(pathToFileURL(from.resolve("oidc-provider")));
const mode = process.argv[2] ?? "closed";
const open = mode === "open";

const listen = (server) => new Promise((done) => server.listen(0, "127.0.0.1", () => done(`http://127.0.0.1:${server.address().port}`)));
const json = (response, status, body, headers = {}) => {
  response.writeHead(status, { "content-type": "application/json", ...headers });
  response.end(JSON.stringify(body));
};

let issue = (request, response) => json(response, 503, {});
const issuer = await listen(createServer((request, response) => issue(request, response)));
let resource;
const provider = new Provider(issuer, {
  ...(mode === "implicit" ? { responseTypes: ["code", "code id_token token"] } : {}),
  clients: [{ client_id: "desk", client_secret: "made-up", grant_types: ["client_credentials"], redirect_uris: [], response_types: [], scope: "tides.read" }],
  scopes: ["tides.read"],
  features: {
    devInteractions: { enabled: false },
    clientCredentials: { enabled: true },
    introspection: { enabled: true },
    registration: { enabled: open },
    resourceIndicators: {
      enabled: true,
      getResourceServerInfo: () => ({ scope: "tides.read", audience: resource, accessTokenFormat: "opaque" }),
    },
  },
});
issue = provider.callback();

const origin = await listen(createServer(async (request, response) => {
  if (request.url === "/.well-known/oauth-protected-resource/mcp") {
    const servers = { "no-issuers": [], "other-tenant": [`${issuer}/harbour`], "silent": ["http://127.0.0.1:9"] }[mode] ?? [issuer];
    return json(response, 200, { resource, authorization_servers: servers, bearer_methods_supported: ["header"], scopes_supported: ["tides.read"] });
  }
  const [, token] = (request.headers.authorization ?? "").split(" ");
  const known = token && await provider.ClientCredentials.find(token);
  if (request.headers.host !== new URL(origin).host || request.headers.origin) return json(response, 403, {});
  if (!known) {
    const place = mode === "inside" ? "http://169.254.169.254/latest" : `${origin}/.well-known/oauth-protected-resource/mcp`;
    const pointer = `Bearer resource_metadata="${place}"`;
    if (mode === "refuses-with-200") return json(response, 200, { error: "unauthorized" });
    return json(response, 401, {}, { "www-authenticate": pointer });
  }
  let text = "";
  for await (const piece of request) text += piece;
  const { id, method } = JSON.parse(text || "{}");
  if (id === undefined) return json(response, 202, {});
  const results = {
    initialize: { protocolVersion: "2025-11-25", capabilities: { tools: {} }, serverInfo: { name: "tide-table", version: "2.4.1" } },
    "tools/list": { tools: [{ name: "get_tide", description: "Returns the tide.", inputSchema: { type: "object" } }] },
  };
  const result = results[method];
  json(response, 200, { jsonrpc: "2.0", id, ...(result ? { result } : { error: { code: -32601, message: "unknown" } }) });
}));
resource = `${origin}/mcp`;

const form = new URLSearchParams({ grant_type: "client_credentials", scope: "tides.read", resource });
const answer = await fetch(`${issuer}/token`, {
  method: "POST",
  headers: { authorization: `Basic ${Buffer.from("desk:made-up").toString("base64")}` },
  body: form,
});
console.log(resource);
console.log(issuer);
console.log((await answer.json()).access_token);
