# The same for the desks with Windows.
agent mcp add crane-log `
  -- npx -y "@saltmarsh/crane-log@4.0.2"
