import { query } from "@saltmarsh/agent";

// The answer to a captain's question, with the servers it may use.
export const answer = (question: string) =>
  query({
    prompt: question,
    options: {
      mcpServers: {
        "crane-plans": { command: "npx", args: ["-y", "@saltmarsh/crane-plans@2.0.0"] },
      },
    },
  });
