// Package repo is the only place where Bastel touches a repository: objects,
// refs, index, working tree, configuration, hooks and remotes.
//
// It speaks to the repository through the low-level commands that are made for
// scripts (command.go holds the list and refuses everything else) and through
// the documented formats of objects, packs and the index. What a change means, how texts
// are merged and how commits are replayed is left to the packages above.
//
// Its tests promise: commands off the list are refused, what is written is valid to the repository itself,
// and answers are remembered only while they hold.
package repo
