# Sourced by ./start and ./test: Node is there and new enough, and the npm packages are installed.
if ! command -v node >/dev/null; then
  echo "Node 20 is missing. Install it (version 20.19 or newer), then run this again." >&2
  exit 1
fi
if ! node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)'; then
  echo "This is Node $(node --version); version 20.19 or newer is needed." >&2
  exit 1
fi
if [ ! -e node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
  echo "Installing npm packages…"
  if ! npm ci --no-audit --no-fund --loglevel=error; then
    echo "npm could not install the packages. Its message stands above; is the npm registry reachable, and the disk not full?" >&2
    exit 1
  fi
  touch node_modules/.package-lock.json
fi
