// A tool server of the official SDK that is its own authorization server, on loopback. Its packages are found from the folder that it is
// started in. The first argument says what is wrong with it; prints the server's address.
import { createRequire } from "node:module";
import { createServer } from "node:http";
import { pathToFileURL } from "node:url";

const from = createRequire(`${process.cwd()}/`);
const load = (path) => import(pathToFileURL(from.resolve(path)));
const { default: express } = await load("express");
const { mcpAuthRouter, createOAuthMetadata } = await load("@modelcontextprotocol/sdk/server/auth/router.js");
const { requireBearerAuth } = await load("@modelcontextprotocol/sdk/server/auth/middleware/bearerAuth.js");
const { McpServer } = await load("@modelcontextprotocol/sdk/server/mcp.js");
const { StreamableHTTPServerTransport } = await load("@modelcontextprotocol/sdk/server/streamableHttp.js");
const mode = process.argv[2] ?? "sound";

const app = express();
const server = createServer(app);
await new Promise((done) => server.listen(0, "127.0.0.1", done));
const origin = `http://127.0.0.1:${server.address().port}`;
const clients = new Map();
const provider = {
  clientsStore: {
    getClient: (id) => clients.get(id),
    ...(mode === "open" ? { registerClient: (client) => client } : {}),
  },
  authorize: async (client, params, response) => response.status(403).end(),
  challengeForAuthorizationCode: async () => "",
  exchangeAuthorizationCode: async () => { throw new Error("no codes"); },
  exchangeRefreshToken: async () => { throw new Error("no tokens"); },
  verifyAccessToken: async (token) => {
    if (token !== "made-up-token") throw Object.assign(new Error("unknown"), { errorCode: "invalid_token" });
    return { token, clientId: "desk", scopes: ["tides.read"], expiresAt: Math.floor(Date.now() / 1000) + 600 };
  },
};
const resource = new URL(mode === "other-resource" ? `${origin}/fares` : `${origin}/mcp`);
const pointer = `${origin}/.well-known/oauth-protected-resource/mcp`;
if (mode === "other-issuer") {
  app.get("/.well-known/oauth-authorization-server", (request, response) =>
    response.json({ ...createOAuthMetadata({ provider, issuerUrl: new URL(origin) }), issuer: "https://id.example/" }));
}
if (mode === "page") {
  app.get("/.well-known/{*rest}", (request, response) => response.type("html").send("<!doctype html><title>Harbour</title>"));
}
if (mode === "other-resource") {
  app.get("/.well-known/oauth-protected-resource/mcp", (request, response) => response.redirect("/.well-known/oauth-protected-resource/fares"));
}
app.use(mcpAuthRouter({
  provider, issuerUrl: new URL(origin), resourceServerUrl: resource,
  scopesSupported: mode === "admin" ? ["tides.read", "tides:admin"] : ["tides.read"],
}));
app.use("/mcp", (request, response, next) => {
  const { host, origin: named } = request.headers;
  return host !== new URL(origin).host || (named && named !== origin) ? response.status(403).end() : next();
});
if (mode === "login-page") app.use("/mcp", (request, response) => response.redirect("/login"));
if (mode === "malformed") {
  app.use("/mcp", (request, response) => response.status(401).set("WWW-Authenticate", 'Bearer resource_metadata="open').end());
}
app.use("/mcp", requireBearerAuth({ verifier: provider, resourceMetadataUrl: pointer }), express.json());
app.all("/mcp", async (request, response) => {
  const tools = new McpServer({ name: "tide-table", version: "2.4.1" });
  tools.tool("get_tide", "Returns the tide.", {}, async () => ({ content: [] }));
  const transport = new StreamableHTTPServerTransport({ sessionIdGenerator: undefined });
  await tools.connect(transport);
  await transport.handleRequest(request, response, request.body);
});
console.log(`${origin}/mcp`);
