# Every target does all its own set-up on a fresh Debian 12 with Go.
SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
.PHONY: season demo demo-south demo-reset run stop test bench shots soak restore-test css build release package-test

build:
	@go build -o bin/unionknot ./cmd/unionknot

# The made-up nursery. A second run keeps what was changed in it. DAY=2027-08-10
# plays it on to another day of its year.
demo: build
	@scripts/needs postgresql
	@scripts/postgres start demo
	@. .run/demo.env; bin/unionknot demo $(if $(DAY),--day $(DAY))
	@echo "Sign in as maud (propagator), ansel (bench hand) or vera (looker), with the password: three blunt knives"
	@echo "On a bench tablet the hands' PIN is 2468."
	@. .run/demo.env; echo $$$$ > .run/serve.pid; exec bin/unionknot serve

# Another made-up nursery, beside the first: south of the line, without rest, budding in
# the row.
demo-south: build
	@scripts/needs postgresql
	@scripts/postgres start south
	@. .run/south.env; bin/unionknot demo --south
	@echo "Sign in as isolde (propagator) or corin (bench hand), with the password: three blunt knives"
	@. .run/south.env; echo $$$$ > .run/serve.pid; exec bin/unionknot serve

demo-reset:
	@scripts/postgres wipe demo
	@scripts/postgres wipe south
	@echo "The demo's data are gone; make demo makes them anew."

# An empty nursery of your own, on a kept database.
run: build
	@scripts/needs postgresql
	@scripts/postgres start main
	@. .run/main.env; echo $$$$ > .run/serve.pid; exec bin/unionknot serve

stop:
	@p=$$(cat .run/serve.pid 2>/dev/null || true); \
	if [ -n "$$p" ] && tr '\0' ' ' < /proc/$$p/cmdline 2>/dev/null | grep -q 'unionknot serve'; then \
	  kill -INT $$p; while kill -0 $$p 2>/dev/null; do sleep 0.1; done; echo "Union Knot is stopped."; \
	fi; rm -f .run/serve.pid
	@for n in demo south main test bench; do scripts/postgres stop $$n; done

test:
	@scripts/needs postgresql chromium
	@scripts/postgres start test fast
	@. .run/test.admin.env; export UNIONKNOT_TEST_DB="$$UNIONKNOT_ADMIN_DB"; scripts/test

# Seasons played at random through the forms, held against independent books.
season:
	@scripts/needs postgresql
	@scripts/postgres start test fast
	@. .run/test.admin.env; export UNIONKNOT_TEST_DB="$$UNIONKNOT_ADMIN_DB" SEEDS=$(or $(SEEDS),3); \
	go test -count=1 -v -timeout 170m -run 'TestASeasonAgreesWithIndependentBooks' ./internal/web

bench: build
	@scripts/needs postgresql
	@scripts/bench

# Kills of servers and of the database under load, a frozen server, a locked table, a
# full disk, fifty planners. KILLS=20 for a shorter one.
soak:
	@scripts/needs postgresql
	@UNIONKNOT_SOAK=$(or $(KILLS),100) go test -count=1 -timeout 60m -v ./internal/soak

# A copy made, broken, refused, brought back and compared; a data package out and in; a
# moment between two copies.
restore-test:
	@scripts/restore-test

# What is shipped, in dist/: the program, a Debian package, licences, parts, sums. Built
# in two folders, with equal bytes.
release:
	@scripts/build-release

# The package installed, upgraded, removed and purged on this machine, as root; for a
# machine that is kept for nothing else.
package-test: release
	@scripts/needs postgresql
	@scripts/package-test

shots: build
	@scripts/needs postgresql chromium
	@scripts/postgres start test fast
	@. .run/test.admin.env; export UNIONKNOT_TEST_DB="$$UNIONKNOT_ADMIN_DB"; \
	UNIONKNOT_SHOTS="$$PWD/docs/screenshots" go test -count=1 -run 'TestShots' ./internal/web/

css:
	@scripts/assets build
