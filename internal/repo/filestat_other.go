//go:build !unix

package repo

import "os"

// fileNumber tells files of one name apart that were put in each other's place, where the
// system numbers them.
func fileNumber(os.FileInfo) uint64 { return 0 }

// statOf is what the system says of a file as the index notes it; ok is false where that is not known.
func statOf(string) (s fileStat, ok bool) { return fileStat{}, false }

// statBelow is the same of a path below an open folder.
func statBelow(*os.File, string) (s fileStat, ok bool) { return fileStat{}, false }
