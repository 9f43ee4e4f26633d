#!/bin/sh
# Installs what the tests need besides Go and git, where a known package manager can do it:
# tmux, and OpenSSH's client.
set -u
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo -n "$@"; fi; }
if command -v apt-get >/dev/null; then
	as_root apt-get update -qq && as_root apt-get install -y -qq tmux openssh-client
elif command -v brew >/dev/null; then
	brew install tmux
elif command -v dnf >/dev/null; then
	as_root dnf install -y -q tmux openssh-clients
fi
for tool in tmux ssh; do
	command -v $tool >/dev/null || { echo "The tests need $tool. Install it, then run them again." >&2; exit 1; }
done
