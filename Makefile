# Two commands: make demo and make test. Each installs what is missing first.
.PHONY: words measure-screens demo test test-long faults cluster fuzz mutate pair fit bench deps deps-test build fmt shots
GO ?= go

demo: deps build
	./bin/stepping demo

build:
	$(GO) build -o bin/stepping ./cmd/stepping

test: deps-test
	scripts/check.sh

# What takes longer than a change should wait for: the tests in full, and the race detector.
test-long: deps-test
	scripts/check-long.sh

# Breaks a running installation in every way that happens; minutes.
faults: deps-test
	scripts/deps.sh haproxy galera-4
	STEPPING_FAULTS=1 $(GO) test ./faults -v -timeout 40m -count 1

# 50 players for five minutes, nothing warm: how long answers take, and the memory.
load: deps
	STEPPING_LOAD=1 $(GO) test ./faults -run 'TestLoad$$' -v -timeout 30m -count 1 | grep -E 'figure|ok|FAIL|should not'

# Three replicated database servers, two copies and a proxy on loopback, to try or to break.
cluster: deps build
	scripts/deps.sh haproxy galera-4
	scripts/cluster.sh

# Every fuzz target for 20 s.
fuzz:
	scripts/fuzz.sh

# Changes the code a little, again and again; a change that no short test notices is named.
mutate:
	scripts/mutate.sh

# The planner of this commit against that of another, in CPU time: make pair BASE=commit
pair:
	$(GO) run ./scripts/pair -base "$(BASE)"

# Weights that agree better with the references; one sweep over all of them takes most of an hour.
fit: build
	./bin/stepping fit core/plan/testdata/references --sweeps 1 --out fitted.json

# Every text that the program says, with its place, to be read in one sitting.
words:
	$(GO) run ./scripts/words

bench:
	GOMAXPROCS=1 $(GO) test ./core/plan -run '^$$' -bench . -benchtime 2x -count 3
	$(GO) test ./core/grip ./core/rank -run '^$$' -bench . -benchtime 1x -count 1
	$(GO) test ./formats/reftext -run TestReferences -v -count 1 | grep figure
	$(GO) test ./core/setlist -run TestFourteen -v -count 1 | grep figure
	STEPPING_FIGURES=1 $(GO) test ./web -run TestFigures -v -count 1 | grep -E 'figure|ok|FAIL'

# What is seen first: controls, where the answer begins, what moves while a page loads; and three players' ways through the program.
measure-screens: deps-test
	STEPPING_MEASURE=1 $(GO) test ./web -run 'TestFirstSight|TestWalks' -v -count 1 | grep -E 'figure|ok|FAIL|_test.go'

shots: deps-test
	STEPPING_SHOTS=../docs/screenshots $(GO) test ./web -run 'TestScreenshots|TestTunerGoesOn' -count 1 -v

deps:
	scripts/deps.sh mariadb-server

deps-test:
	scripts/deps.sh mariadb-server chromium-headless-shell fluidsynth timgm6mb-soundfont
	@$(GO) tool -n staticcheck >/dev/null # built here once, as an installation

fmt:
	gofmt -w .
