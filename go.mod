module dyekit

go 1.26.8

require (
	github.com/go-text/typesetting v0.3.5
	github.com/klauspost/compress v1.20.4
	github.com/spf13/cobra v1.10.2
	github.com/tdewolff/parse/v2 v2.8.20
	golang.org/x/image v0.47.0
	golang.org/x/net v0.62.0
	golang.org/x/text v0.43.0
)

require (
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
)
