module rubricon

go 1.26.0

ignore ./ui/node_modules

require (
	github.com/spf13/cobra v1.10.2
	gonum.org/v1/gonum v0.17.0
)

require (
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.10 // indirect
)
