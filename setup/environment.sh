# Sourced by ./start, ./test and ./ledger: what a machine needs, installed from Debian's packages where it is missing.

say() { echo "tender-ledger: $*"; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo > /dev/null; then sudo "$@"; else
    say "needs Debian packages and cannot install them: neither root nor sudo. Ask an administrator for: $wanted" >&2
    return 1
  fi
}

install_debian() {
  wanted="$*"
  command -v apt-get > /dev/null || { say "this machine has no apt-get; install by hand: $wanted" >&2; return 1; }
  say "installing Debian packages: $wanted"
  as_root env DEBIAN_FRONTEND=noninteractive apt-get -qq update
  as_root env DEBIAN_FRONTEND=noninteractive apt-get -qq install --yes --no-install-recommends "$@" > /dev/null
}

# A Python of at least 3.11 that can make environments.
need_python() {
  if ! python3 -c 'import sys, ensurepip, venv; sys.exit(sys.version_info < (3, 11))' 2> /dev/null; then
    install_debian python3 python3-venv ca-certificates
  fi
}

need_postgresql() {
  compgen -G '/usr/lib/postgresql/*/bin/initdb' > /dev/null || install_debian postgresql postgresql-contrib
}

# Chromium, and the library that the program which drives it is linked with.
need_chromium() {
  { [ -x /usr/bin/chromium ] && compgen -G '/usr/lib/*/libatomic.so.1' > /dev/null; } || install_debian chromium libatomic1
}

# What sets pages for print.
need_pango() {
  { compgen -G '/usr/lib/*/libpangoft2-1.0.so.0' && compgen -G '/usr/lib/*/libharfbuzz-subset.so.0'; } > /dev/null ||
    install_debian libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0
}

# The packages of one or more lock files, with their hashes, into .venv; nothing to do when they are there already.
# What the trial on several hosts is made of.
need_networks() {
  { [ -x /usr/sbin/nginx ] && [ -x /usr/sbin/ip ]; } || install_debian nginx-light iproute2
}

need_packages() {
  local locks=() sum
  for set in "$@"; do locks+=(-r "requirements/$set.lock"); done
  sum=$(cat $(printf 'requirements/%s.lock ' "$@") | sha256sum | cut -c1-64)
  [ -x .venv/bin/python ] && .venv/bin/python -c '' 2> /dev/null || { rm -rf .venv; python3 -m venv .venv; }
  grep -qsx "$* $sum" .venv/installed && return
  say "installing Python packages ($*)"
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-input --require-hashes "${locks[@]}"
  echo "$* $sum" >> .venv/installed
}
