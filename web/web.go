// Package web holds the console as it was built, for the service to serve.
package web

import "embed"

// Dist is the folder that the build leaves. Without a build it is all but empty.
//
//go:embed all:dist
var Dist embed.FS
