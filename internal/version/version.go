// Package version says which program this is: by the commit that it was built from.
package version

import (
	"fmt"
	"runtime/debug"
)

// String gives the commit that the program was built from and its day, with a + where it
// was changed since; "unknown" where the build does not say.
func String() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	of := map[string]string{}
	for _, s := range info.Settings {
		of[s.Key] = s.Value
	}
	commit, day := of["vcs.revision"], of["vcs.time"]
	if len(commit) < 12 || len(day) < 10 {
		return "unknown"
	}
	changed := ""
	if of["vcs.modified"] == "true" {
		changed = "+"
	}
	return fmt.Sprintf("%s%s, of %s", commit[:12], changed, day[:10])
}
