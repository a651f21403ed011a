// A tool server on the official protocol SDK, over standard streams, in both eras. Its packages are found from the folder that it is
// started in.
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

const from = createRequire(`${process.cwd()}/`);
const load = (name) => import(pathToFileURL(from.resolve(name)));
const { McpServer } = await load("@modelcontextprotocol/server");
const { serveStdio } = await load("@modelcontextprotocol/server/stdio");
const { z } = await load("zod");

serveStdio(() => {
  const server = new McpServer({ name: "tide-table", version: "2.4.1" }, { instructions: "Harbours are named by their short names." });
  server.registerTool(
    "get_tide",
    { description: "Returns the tide of a harbour.", inputSchema: z.object({ harbour: z.string().max(40) }), annotations: { readOnlyHint: true } },
    async () => ({ content: [] }),
  );
  return server;
});
