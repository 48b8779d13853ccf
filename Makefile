# What people type here. `make` alone lists it.
.DEFAULT_GOAL := help
.PHONY: help build test race fuzz torture bench shots lint demo release

export CGO_ENABLED ?= 0

help: ## this list
	@grep -E '^[a-z]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*##/\t/' | expand -t 12

build: ## the program, as ./lastblock
	go build -o lastblock .

test: ## all tests
	go test ./...

race: ## all tests under the race detector
	CGO_ENABLED=1 go test -race ./...

fuzz: ## every fuzz target, 30,000 inputs each
	.ci/fuzz

torture: ## half an hour of kills, failed calls and power cuts, and every fuzz target; SECONDS for another time
	.ci/torture $(or $(SECONDS),1800)
	.ci/fuzz

bench: ## workloads beside their yardsticks; FLAGS go to the benchmark
	go run ./bench $(FLAGS)

shots: ## the pictures in docs/screenshots, taken anew
	.ci/shots $(NAMES)

lint: ## what the code must look like, as in CI
	.ci/lint

demo: ## the demo, in ./lastblock-demo
	go run . demo

release: ## static files for four systems, completions and SHA-256 sums, in ./release
	.ci/release release
