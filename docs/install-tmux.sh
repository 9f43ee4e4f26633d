#!/bin/sh
# Installs tmux, which the tests need, where a known package manager can do it.
set -u
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo -n "$@"; fi; }
if command -v apt-get >/dev/null; then
	as_root apt-get update -qq && as_root apt-get install -y -qq tmux
elif command -v brew >/dev/null; then
	brew install tmux
elif command -v dnf >/dev/null; then
	as_root dnf install -y -q tmux
fi
command -v tmux >/dev/null || { echo "The tests need tmux. Install it, then run them again." >&2; exit 1; }
