// Package reliability holds tests that break things on purpose; see
// docs/reliability.md. They run with make reliability.
package reliability
