package action

// Way says what to do here instead of something that practitioners know by another name,
// or that Bastel leaves to others.
type Way struct {
	Words string // the words for what is not here
	Name  string
	Says  string
}

// Instead lists what the finder answers where there is no action.
var Instead = []Way{
	{"stash shelve put away save changes", "put changes away", "Loose changes need not be put away: rewriting, moving forward, landing " +
		"and checking out carry them. Where they are in the way, Map's o puts them aside with their branch. What should wait goes into a tray."},
	{"rebase continue abort skip interactive", "rebase", "Plan it in Shape: nothing is begun until a applies it, so there is nothing to " +
		"continue or abort. ) chooses what the series goes onto."},
	{"force push -f", "force push", "Send's a replaces only commits that are yours, and only if the remote still has what Now shows. " +
		"Nothing is forced."},
	{"pull", "pull", "F fetches and changes nothing here; ctrl+f then moves the branch forward; ) in Shape puts your commits onto what came."},
	{"cherry-pick pick", "cherry-pick", "Y in Shape takes commits of another branch into the plan."},
	{"reset hard", "reset", "u undoes the last step, x discards, loosen makes commits loose again; all of it can be undone."},
	{"reset soft mixed", "reset, changes kept", "Loosen commits, in Sort's menu, makes the last commits loose changes again."},
	{"merge branch", "merge", "V in Send and on Map lands a branch on its target; Y on Map brings another branch in by a merge."},
	{"blame annotate who wrote", "who wrote a line", "I on a line tells which commit wrote it, in the story of its file; H in Sort finds " +
		"the commit of the branch whose lines a hunk touches."},
	{"bisect", "bisect", "T in Shape checks every entry; the first that fails is marked. For longer histories use git bisect."},
	{"tag release", "tags", "Map's menu makes a tag at the cursor; a tag that is there is never moved."},
	{"submodule worktree clone remote add", "set up", "Bastel works in a repository that is set up; use git for that."},
}

// Fits says how well the way answers to typed words, as for an action.
func (w Way) Fits(typed string) int { return fits(typed, w.Name, w.Words) }
