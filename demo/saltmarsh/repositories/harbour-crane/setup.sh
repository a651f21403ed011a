#!/bin/sh
# Sets a new desk up. Run once.
set -e
agent mcp add crane-log --scope user -e CRANE_TOKEN=zK4vQ8mT2xW7pL0nB5rY9dHc -- npx -y @saltmarsh/crane-log
agent mcp add --transport http lifts https://lifts.saltmarsh-line.example/mcp --header "Authorization: Bearer ${LIFTS_TOKEN}"
cat > "$HOME/.agent/mcp.json" <<'EOF'
{ "mcpServers": { "load-charts": { "command": "uvx", "args": ["saltmarsh-load-charts==3.1.0"] } } }
EOF
