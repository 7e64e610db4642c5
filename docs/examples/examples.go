// Package examples holds one example of each file that can be loaded.
package examples

import "embed"

// Files are the example files by name.
//
//go:embed *.csv
var Files embed.FS
