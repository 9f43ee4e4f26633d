# The core: everything below the line that internal/ui, cli, app and demo lie above.
CORE = ./internal/ask ./internal/repo ./internal/diff ./internal/merge ./internal/mend ./internal/lanes ./internal/safe ./internal/sweep ./internal/tray \
	./internal/shape ./internal/replay ./internal/journal ./internal/send ./internal/suggest ./internal/review

.PHONY: run demo test lint race bench shots tools

run:
	go run ./cmd/bastel

demo:
	go run ./cmd/bastel demo

# Everything that must hold: format, vet, staticcheck, all tests, the core and the screens without data races.
test: tools lint
	go test -count=1 ./...
	go test -count=1 -race $(CORE) ./internal/ui

lint:
	@unformatted=$$(gofmt -l .); test -z "$$unformatted" || { echo "not formatted: $$unformatted"; exit 1; }
	go vet ./...
	go tool staticcheck ./...

bench:
	go test ./test -run '^$$' -bench . -benchtime 5x
	go test ./internal/ui -run '^$$' -bench Open -benchtime 5x
	go test ./internal/ui -run '^$$' -bench FetchFiveThousand -benchtime 2x
	go test ./internal/ui -run '^$$' -bench Key -benchtime 500x

# Needs xvfb, xterm, imagemagick, curl and the font JetBrains Mono, besides tmux.
shots:
	docs/screenshots/make.sh

# The tests drive the application in tmux, and push over ssh: install them where that is possible.
tools:
	@command -v tmux >/dev/null && command -v ssh >/dev/null || ./docs/install-tools.sh
