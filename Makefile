# The two commands of the README are `make demo` and `make test`; each installs what it needs.
RSCRIPT = Rscript --no-init-file
LIB = .build/lib

.PHONY: demo test quick page-test server-test cluster-test test-long fuzz sanitize coverage site check lint protocol bench docs install structure clean

demo:
	@$(RSCRIPT) tools/setup.R run
	@command=$$($(RSCRIPT) tools/install.R) && "$$command" demo

install:
	@$(RSCRIPT) tools/setup.R run
	@$(RSCRIPT) tools/install.R

test: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@$(RSCRIPT) tools/test.R $(LIB) $(if $(FILTER),'$(FILTER)')

# The tests of what changed since the last commit, and of what calls it directly.
quick:
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/quick.R $(SINCE)

# The page in a real browser (needs chromium, node and npm; installs the first, and what the tests need of npm).
page-test: $(LIB)
	@$(RSCRIPT) tools/setup.R page
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@rm -rf .build/page/work && mkdir -p .build/page/work && cp tests/page/* tests/testthat/fixtures/budget-cases.json .build/page/
	@R_LIBS=$(LIB) $(RSCRIPT) -e 'invisible(clockpigeon:::demo_project(".build/page/work/tide-clock"))'
	@cd .build/page && npm install --silent --no-fund --no-audit
	@cd .build/page && node page.mjs $(CURDIR)/.build/clockpigeon $(CURDIR)/.build/page/work

# The ledger on a PostgreSQL server of its own (installs one, and RPostgres, which compiles for some minutes once).
server-test: $(LIB)
	@$(RSCRIPT) tools/setup.R server
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@tests/server.sh $(LIB) $(if $(FILTER),'$(FILTER)')

# Measuring and rendering on a Slurm of its own with two pretended machines, and by SSH (installs both).
cluster-test: $(LIB)
	@$(RSCRIPT) tools/setup.R cluster
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@tests/cluster.sh $(LIB)

test-long: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@$(RSCRIPT) tools/test.R $(LIB) --long $(if $(FILTER),'$(FILTER)')

# The tests are those of `make test`, and the vignettes are built for the package.
check: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@rm -rf .build/check && mkdir -p .build/check
	@cd .build/check && R CMD build --no-manual ../.. >/dev/null && _R_CHECK_FORCE_SUGGESTS_=false R CMD check --no-manual --no-tests --no-build-vignettes clockpigeon_*.tar.gz
	@! grep -E '(ERROR|WARNING)$$' .build/check/clockpigeon.Rcheck/00check.log

lint:
	@$(RSCRIPT) tools/setup.R develop
	@$(RSCRIPT) -e 'found <- c(lintr::lint_package(), lintr::lint_dir("tools"), lintr::lint_dir("bench")); print(found); quit(status = length(found) > 0)'

fuzz: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@$(RSCRIPT) tests/hostile/hostile.R $(LIB)
	@$(RSCRIPT) tests/fuzz/fuzz.R $(LIB) all $(or $(SECONDS),3600) $(or $(SEED),1)

sanitize: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/sanitize.R $(CHANGED) $(if $(FILTER),'$(FILTER)')

coverage:
	@$(RSCRIPT) tools/setup.R site
	@$(RSCRIPT) -e 'found <- covr::package_coverage(type = "tests"); print(found); cat(sprintf("coverage %.1f %%\n", covr::percent_coverage(found)))'

site: install
	@$(RSCRIPT) tools/setup.R site
	@$(RSCRIPT) -e 'options(pkgdown.internet = FALSE); pkgdown::build_site(preview = FALSE, install = FALSE, new_process = FALSE)'
	@mkdir -p site/docs/screenshots && cp docs/screenshots/*.png site/docs/screenshots/

docs: $(LIB)
	@$(RSCRIPT) tools/setup.R develop
	@$(RSCRIPT) -e 'Rcpp::compileAttributes()'
	@R_LIBS=$(LIB) $(RSCRIPT) -e 'roxygen2::roxygenise(load_code = "source")'
	@R_LIBS=$(LIB) $(RSCRIPT) tools/schemas.R

# What a stand-in answers, and the protocol's document, held against programs from npm (needs node).
protocol: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@rm -rf .build/protocol && mkdir -p .build/protocol && cp tools/protocol/* .build/protocol/
	@cd .build/protocol && npm install --silent --no-fund --no-audit
	@$(RSCRIPT) tools/protocol.R $(LIB) .build/protocol/out
	@cd .build/protocol && node check.mjs out ../../inst/protocol/site.yaml

bench: $(LIB)
	@$(RSCRIPT) tools/setup.R test
	@$(RSCRIPT) tools/install.R $(LIB) .build >/dev/null
	@$(RSCRIPT) tools/bench.R $(LIB) $(BENCH)

structure:
	@$(RSCRIPT) ../shared/tools/rooms.R . --strict

clean:
	rm -rf .build src/*.o src/*.so src/pebble

$(LIB):
	@mkdir -p $(LIB)
