package app

import (
	"runtime"
	"runtime/debug"
	"strings"
)

// Version says what this program was built from: its version, the commit if the build knew it, and the Go release.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return runtime.Version()
	}
	settings := map[string]string{}
	for _, s := range info.Settings {
		settings[s.Key] = s.Value
	}
	text := info.Main.Version
	if commit := settings["vcs.revision"]; commit != "" {
		text += ", commit " + commit[:min(len(commit), 12)]
		if settings["vcs.modified"] == "true" {
			text += " with changes"
		}
	}
	return strings.TrimPrefix(text+", ", ", ") + runtime.Version() + " " + runtime.GOOS + "/" + runtime.GOARCH
}
