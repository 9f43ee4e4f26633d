package journal

import "testing"

// FuzzEntry: what stands in a commit of the journal is an entry, or an error.
func FuzzEntry(f *testing.F) {
	f.Add("bastel: commit\n\n{\"number\":1,\"kind\":\"commit\",\"files\":[{\"path\":\"YQ==\"}]}")
	f.Fuzz(func(t *testing.T, message string) { _, _ = decode(message) })
}
