# What of the core does several things at a time: all of its tests run with the race detector, which compiles and runs them for
# twice as long. A test holds the list against the code.
RACES = ./internal/ask ./internal/repo ./internal/merge ./internal/tray ./internal/replay ./internal/lifeline ./internal/programs

# What ties work beside the screens to them: these run with the race detector.
BESIDE = ./internal/ui
BESIDE_TESTS = ^(TestFilesThatChangeShowUpByThemselves|TestFetchingByItself|TestQuestionsOfARemote|TestAnswersComeBack|TestReadThrough)$$/^(|a_password|over_a_page)$$

# Tests make thousands of small files: in memory, where the system has such a folder.
MEMORY := $(shell test -d /dev/shm && test -w /dev/shm && echo /dev/shm)
races rest beside soak: export TMPDIR := $(or $(MEMORY),$(TMPDIR),/tmp)

# Without the folder's name in it, what one clone compiled serves the next one.
export GOFLAGS := -trimpath

.PHONY: run demo test races rest beside soak fuzz lint bench shots tools install dist

run:
	go run ./cmd/bastel

demo:
	go run ./cmd/bastel demo

# Everything that must hold: format, vet, staticcheck, all tests; those of what does several
# things at a time with the race detector. Vet runs once, in lint. Two jobs at a time, since many tests wait for a terminal or a server.
test: tools
	$(MAKE) --no-print-directory -j2 rest beside

# Without what only debuggers read, test programs are linked in half the time.
TEST = go test -count=1 -vet=off -ldflags=-s

races:
	$(TEST) -race $(RACES)

# More packages and tests at a time than there are processors: most wait for a screen, or for a process.
rest: lint
	$(TEST) -p 4 -parallel 4 $$(go list ./... | grep -vxF "$$(go list $(RACES))")

beside: races
	$(TEST) -race -run '$(BESIDE_TESTS)' $(BESIDE)

# The random tests, for as long as it takes: many rounds, and fresh seeds, which are printed.
soak: tools
	BASTEL_SOAK=1 go test -count=1 -vet=off -timeout 3h -v ./internal/... ./test/...
	$(MAKE) --no-print-directory fuzz

# All parsers, a minute each.
fuzz:
	@grep -rl '^func Fuzz' --include=*_test.go internal | while read file; do \
		for name in $$(sed -n 's/^func \(Fuzz[A-Za-z]*\).*/\1/p' $$file); do \
			echo "$$name in $$(dirname $$file)"; \
			go test -vet=off -run '^$$' -fuzz "^$$name\$$" -fuzztime $${FUZZTIME:-1m} ./$$(dirname $$file) || exit 1; \
		done; \
	done

lint:
	@unformatted=$$(gofmt -l .); test -z "$$unformatted" || { echo "not formatted: $$unformatted"; exit 1; }
	go vet ./...
	go tool staticcheck ./...

bench:
	go test ./test -run '^$$' -bench . -benchtime 5x
	go test ./internal/ui -run '^$$' -bench Open -benchtime 5x
	go test ./internal/ui -run '^$$' -bench FetchFiveThousand -benchtime 2x
	go test ./internal/ui -run '^$$' -bench Key -benchtime 500x
	go test ./internal/ui -run '^$$' -bench SortAHunk -benchtime 20x
	go test ./internal/ui/chart -run '^$$' -bench Thousands -benchtime 500x

PREFIX ?= /usr/local
# The date of manual pages and archives is that of the last commit, so that they are the same bytes twice.
export SOURCE_DATE_EPOCH ?= $(shell git log -1 --format=%ct 2>/dev/null || echo 0)
BUILD = CGO_ENABLED=0 go build -ldflags='-s -w -buildid='

# The program, its manual pages, and what shells complete by.
install:
	$(BUILD) -o build/bastel ./cmd/bastel
	go run ./cmd/manual build/manual
	install -d $(DESTDIR)$(PREFIX)/bin $(DESTDIR)$(PREFIX)/share/man/man1 $(DESTDIR)$(PREFIX)/share/bash-completion/completions \
		$(DESTDIR)$(PREFIX)/share/zsh/site-functions $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d
	install build/bastel $(DESTDIR)$(PREFIX)/bin/bastel
	install -m 644 build/manual/*.1 $(DESTDIR)$(PREFIX)/share/man/man1
	install -m 644 build/manual/bastel.bash $(DESTDIR)$(PREFIX)/share/bash-completion/completions/bastel
	install -m 644 build/manual/_bastel $(DESTDIR)$(PREFIX)/share/zsh/site-functions/_bastel
	install -m 644 build/manual/bastel.fish $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d/bastel.fish

PLATFORMS = linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 freebsd/amd64 freebsd/arm64

# The package of Debian is made by nfpm, whose version is fixed here; the version of ours is the day of its last commit.
NFPM = go run github.com/goreleaser/nfpm/v2/cmd/nfpm@v2.48.0
VERSION ?= 0.$(shell git log -1 --date=format:%Y%m%d --format=%cd+%h 2>/dev/null || echo 0)

# An archive for each system and processor, with completions, manual pages and notices, packages for Debian, and their checksums.
dist:
	rm -rf build/dist && mkdir -p build/dist
	go run ./cmd/manual build/dist/manual
	packaging/notices.sh >build/dist/NOTICES
	for platform in $(PLATFORMS); do \
		name=bastel-$$(echo $$platform | tr / -); dir=build/dist/$$name; mkdir -p $$dir || exit 1; \
		GOOS=$${platform%/*} GOARCH=$${platform#*/} $(BUILD) -o $$dir/bastel ./cmd/bastel || exit 1; \
		cp -R build/dist/manual build/dist/NOTICES LICENSE README.md $$dir || exit 1; \
		tar --sort=name --owner=0 --group=0 --numeric-owner --mtime=@$(SOURCE_DATE_EPOCH) -C build/dist -cf - $$name | gzip -9n >build/dist/$$name.tar.gz || exit 1; \
		case $$platform in linux/*) \
			ARCH=$${platform#*/} VERSION=$(VERSION) DIR=$$dir \
				$(NFPM) package -f packaging/nfpm.yaml -p deb -t build/dist/ || exit 1 ;; \
		esac; \
		rm -rf $$dir; \
	done
	rm -rf build/dist/manual build/dist/NOTICES
	cd build/dist && sha256sum *.tar.gz *.deb >SHA256SUMS

# Needs xvfb, xterm, imagemagick, curl and the font JetBrains Mono, besides tmux.
shots:
	docs/screenshots/make.sh

# The tests drive the application in tmux, and push over ssh: install them where that is possible.
tools:
	@for tool in tmux ssh zsh fish; do command -v $$tool >/dev/null || exec ./docs/install-tools.sh; done
