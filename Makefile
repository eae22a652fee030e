# Two commands: make demo and make test. Each installs what is missing first.
.PHONY: demo test bench deps deps-test build fmt shots
GO ?= go

demo: deps build
	./bin/stepping demo

build:
	$(GO) build -o bin/stepping ./cmd/stepping

test: deps-test
	scripts/check.sh

bench:
	GOMAXPROCS=1 $(GO) test ./core/plan -run '^$$' -bench . -benchtime 2x -count 3
	$(GO) test ./core/grip ./core/suit -run '^$$' -bench . -benchtime 1x -count 1
	$(GO) test ./core/setlist -run TestFourteen -v -count 1 | grep figure
	$(GO) test ./web -run TestFigures -v -count 1 | grep -E 'figure|ok|FAIL'

shots: deps-test
	STEPPING_SHOTS=../docs/screenshots $(GO) test ./web -run TestScreenshots -count 1 -v

deps:
	scripts/deps.sh mariadb-server

deps-test:
	scripts/deps.sh mariadb-server chromium

fmt:
	gofmt -w .
