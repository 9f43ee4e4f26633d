#!/bin/sh
# Installs what the tests need besides Go and git, where a known package manager can do it: tmux and OpenSSH's client, without
# which they do not run, and zsh and fish, in which completions are tried where they are.
set -u
as_root() { if [ "$(id -u)" = 0 ]; then timeout 90 "$@"; else timeout 90 sudo -n "$@"; fi; }
if command -v apt-get >/dev/null; then
	as_root apt-get update -qq && as_root apt-get install -y -qq --no-install-recommends tmux openssh-client zsh fish
elif command -v brew >/dev/null; then
	brew install tmux fish
elif command -v dnf >/dev/null; then
	as_root dnf install -y -q tmux openssh-clients zsh fish
fi
for tool in tmux ssh; do
	command -v $tool >/dev/null || { echo "The tests need $tool. Install it, then run them again." >&2; exit 1; }
done
for shell in zsh fish; do
	command -v $shell >/dev/null || echo "Without $shell its completion is only read, not tried." >&2
done
