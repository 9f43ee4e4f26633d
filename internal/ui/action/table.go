package action

// differences are the views that show hunks.
var differences = []Place{Sort, Parts, Look, Reading, Homes}

// Table lists each key with its one meaning, and the actions that it stands for.
var Table = []Key{
	{Keys: []string{"down", "j"}, Means: "Down by one.", Actions: []Action{
		{ID: Down, In: []Place{Everywhere}, Name: "down", Help: "Down by one."}}},
	{Keys: []string{"up", "k"}, Means: "Up by one.", Actions: []Action{
		{ID: Up, In: []Place{Everywhere}, Name: "up", Help: "Up by one."}}},
	{Keys: []string{"pgdown", "ctrl+d"}, Means: "Down by a page.", Actions: []Action{
		{ID: PageDown, In: []Place{Everywhere}, Name: "page down", Help: "Down by a page."}}},
	{Keys: []string{"pgup", "ctrl+u"}, Means: "Up by a page.", Actions: []Action{
		{ID: PageUp, In: []Place{Everywhere}, Name: "page up", Help: "Up by a page."}}},
	{Keys: []string{"home", "g"}, Means: "To the first row.", Actions: []Action{
		{ID: Top, In: []Place{Everywhere}, Name: "to the top", Help: "To the first row."}}},
	{Keys: []string{"end", "G"}, Means: "To the last row.", Actions: []Action{
		{ID: End, In: []Place{Everywhere}, Name: "to the end", Help: "To the last row."}}},
	{Keys: []string{"left", "h"}, Means: "To the left.", Actions: []Action{
		{ID: ToNow, In: []Place{Everywhere}, Name: "to Now", Help: "To the left half: what is."},
		{ID: GridLeft, In: []Place{Overlaps}, Name: "left", Help: "To the previous commit."}}},
	{Keys: []string{"right", "l"}, Means: "To the right.", Actions: []Action{
		{ID: ToNext, In: []Place{Everywhere}, Name: "to Next", Help: "To the right half: what will be."},
		{ID: GridRight, In: []Place{Overlaps}, Name: "right", Help: "To the next commit."}}},
	{Keys: []string{"]", "tab"}, Means: "To the next screen.", Actions: []Action{
		{ID: NextScreen, In: []Place{Everywhere}, Name: "next screen", Help: "Go to the next screen, in the order of the work.", Listed: true}}},
	{Keys: []string{"[", "shift+tab"}, Means: "To the previous screen.", Actions: []Action{
		{ID: PreviousScreen, In: []Place{Everywhere}, Name: "previous screen", Help: "Go to the previous screen.", Listed: true}}},
	{Keys: Screens, Shown: "F2–F6", Means: "To a screen, in the order of the work.", Actions: []Action{
		{ID: GoToScreen, In: []Place{Everywhere}, Name: "go to a screen", Help: "Go to Map with F2, to Sort, Shape, Mend and Send with F3 to " +
			"F6.", Words: "switch screens tabs"}}},
	{Keys: []string{"n"}, Means: "To the next hunk or open conflict.", Actions: []Action{
		{ID: NextHunk, In: differences, Name: "next hunk", Help: "Go to the next hunk."},
		{ID: NextOpen, In: []Place{Mend, Listing}, Name: "next open", Help: "Go to the next open conflict, in this file or another one.",
			Listed: true}}},
	{Keys: []string{"p"}, Means: "To the previous hunk or open conflict.", Actions: []Action{
		{ID: PreviousHunk, In: differences, Name: "previous hunk", Help: "Go to the previous hunk."},
		{ID: PreviousOpen, In: []Place{Mend, Listing}, Name: "previous open", Help: "Go to the previous open conflict."}}},
	{Keys: []string{"ctrl+n"}, Means: "To the next file.", Actions: []Action{
		{ID: NextFile, In: differences, Name: "next file", Help: "Go to the next file."}}},
	{Keys: []string{"ctrl+p"}, Means: "To the previous file.", Actions: []Action{
		{ID: PreviousFile, In: differences, Name: "previous file", Help: "Go to the previous file."}}},
	{Keys: []string{"}"}, Means: "To the next commit or conflict, whatever its state.", Actions: []Action{
		{ID: NextPlace, In: []Place{Mend}, Name: "next place", Help: "Go to the next place, answered or not."},
		{ID: NextCommit, In: []Place{Look, Reading, Telling}, Name: "next commit", Help: "Go to the next commit.", Listed: true}}},
	{Keys: []string{"{"}, Means: "To the previous commit or conflict, whatever its state.", Actions: []Action{
		{ID: PreviousPlace, In: []Place{Mend}, Name: "previous place", Help: "Go to the previous place, answered or not."},
		{ID: PreviousCommit, In: []Place{Look, Reading, Telling}, Name: "previous commit", Help: "Go to the previous commit."}}},
	{Keys: []string{"enter"}, Means: "Looks into what is at the cursor, or chooses it.",
		Except: "In Sort and in a divided commit the content is in view already: there it goes across the seam.", Actions: []Action{
			{ID: LookAtBranch, In: []Place{Map}, Name: "look", Help: "Show what the commit at the cursor changes.", Words: "show diff log",
				Listed: true},
			{ID: Carry, In: []Place{Sort}, Name: "into the tray", Help: "Put the marked lines into the current tray, else the hunk at the " +
				"cursor, or the file on its heading. In Next: back to the loose changes.",
				Words: "stage add unstage", Command: "stage", Listed: true},
			{ID: CarryPart, In: []Place{Parts}, Name: "into the part", Help: "Put the marked lines, else the hunk at the cursor, or the file on " +
				"its heading, into the current part. In Next: back to Now.", Listed: true},
			{ID: LookAtHome, In: []Place{Homes}, Name: "before and after", Help: "Show the home's commit as it is, and as it will be.",
				Listed: true},
			{ID: VersionLook, In: []Place{Telling}, Name: "look", Help: "Show all that the commit at the cursor changes.", Words: "show diff",
				Listed: true},
			{ID: LookInto, In: []Place{Shape}, Name: "look", Help: "Show what the commit at the cursor changes.", Words: "show diff", Listed: true},
			{ID: FilesCommits, In: []Place{Overlaps}, Name: "commit by commit", Help: "Show what each commit does to the file.",
				Words: "log history", Listed: true},
			{ID: OpenConflict, In: []Place{Listing}, Name: "open it", Help: "Go to the first open place of the conflict at the cursor.",
				Listed: true},
			{ID: LookAtSide, In: []Place{Mend}, Name: "look", Help: "Show what a commit behind one of the sides changes.", Listed: true},
			{ID: LookAtCommit, In: []Place{Send}, Name: "look", Help: "Show what the commit at the cursor changes; of one whose content is " +
				"different there and here, what differs between the two.", Words: "show diff compare", Command: "compare", Listed: true},
			{ID: GoMend, In: []Place{Preflight}, Name: "go and fix it", Help: "Go to where the finding at the cursor is fixed.", Listed: true},
			{ID: IntoFile, In: []Place{Handing}, Name: "into a file", Help: "Write the text into a new file.", Words: "save export", Listed: true},
			{ID: Choose, In: []Place{Choosing}, Name: "choose", Help: "Choose what is at the cursor."}}},
	{Keys: []string{"esc"}, Means: "Stops what is under way, else closes what is open.", Actions: []Action{
		{ID: Back, In: []Place{Homes, Parts, Overlaps, Listing, Look, Telling, Reading, Preflight, Landing, Handing,
			Output}, Name: "back",
			Help: "Go back; nothing is changed by that.", Listed: true},
		{ID: Stop, In: []Place{Everywhere}, Name: "stop", Help: "Stop what is under way.", Words: "cancel abort"},
		{ID: CloseList, In: []Place{Choosing}, Name: "close", Help: "Close the list; nothing is chosen."},
		{ID: DropText, In: []Place{Writing}, Name: "leave as it was", Help: "Leave the text as it was. What you wrote is forgotten only after " +
			"a second press.", Words: "cancel abort"}}},
	{Keys: []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9"}, Shown: "0–9",
		Means: "A digit chooses what has this number: a tray, a part, an answer; 0 is nothing.", Actions: []Action{
			{ID: IntoTray, In: []Place{Sort}, Keys: Digits, Shown: "1–9", Name: "into A–I",
				Help: "Put the same into tray A with 1, B with 2, and so on, from the loose changes or from another tray.", Words: "stage add",
				Command: "stage --tray B", Listed: true},
			{ID: IntoPart, In: []Place{Parts}, Keys: Digits, Shown: "1–9", Name: "into A–I",
				Help: "Put the same into part A with 1, B with 2, and so on.", Listed: true},
			{ID: ClearMarks, In: []Place{Sort}, Keys: []string{"0"}, Name: "clear marks", Help: "Clear all marks and cuts."},
			{ID: ClearOfPart, In: []Place{Parts}, Keys: []string{"0"}, Name: "clear marks", Help: "Clear all marks and cuts."},
			{ID: ClearEntries, In: []Place{Shape}, Keys: []string{"0"}, Name: "clear marks", Help: "Clear all marks."},
			{ID: Side1, In: []Place{Mend, Listing}, Keys: []string{"1"}, Name: "use 1", Help: "Answer with the side that is called 1.",
				Command: "mend --answer KEY=SIDES", Listed: true},
			{ID: Side2, In: []Place{Mend, Listing}, Keys: []string{"2"}, Name: "use 2", Help: "Answer with the side that is called 2.",
				Command: "mend --answer KEY=SIDES", Listed: true},
			{ID: OneThenTwo, In: []Place{Mend, Listing}, Keys: []string{"3"}, Name: "1 then 2", Help: "Answer with both sides, 1 first.",
				Words: "both union", Command: "mend --answer KEY=SIDES", Listed: true},
			{ID: TwoThenOne, In: []Place{Mend, Listing}, Keys: []string{"4"}, Name: "2 then 1", Help: "Answer with both sides, 2 first.",
				Words: "both union", Command: "mend --answer KEY=SIDES", Listed: true},
			{ID: BaseText, In: []Place{Mend, Listing}, Keys: []string{"5"}, Name: "the base",
				Help:  "Answer with the text that both sides started from.",
				Words: "original ancestor", Command: "mend --answer KEY=SIDES", Listed: true},
			{ID: Nothing, In: []Place{Mend, Listing}, Keys: []string{"0"}, Name: "nothing", Help: "Answer with nothing: no line stays there.",
				Words: "neither none delete", Command: "mend --answer KEY=SIDES"}}},
	{Keys: []string{"space"}, Means: "Marks what is at the cursor, or clears its mark.", Actions: []Action{
		{ID: MarkLine, In: []Place{Sort}, Name: "mark line", Help: "Mark the line at the cursor; actions then use only the marked lines.",
			Words: "select", Listed: true},
		{ID: LineOfPart, In: []Place{Parts}, Name: "mark line", Help: "Mark the line at the cursor; actions then use only the marked lines.",
			Words: "select", Listed: true},
		{ID: MarkHome, In: []Place{Homes}, Name: "mark", Help: "Mark the hunk to go home, or leave it where it is.", Listed: true},
		{ID: MarkTaken, In: []Place{Look}, Name: "mark line", Help: "On Map: mark the line at the cursor, to be taken.", Words: "select",
			Listed: true},
		{ID: VersionMark, In: []Place{Telling}, Name: "mark", Help: "Mark the version at the cursor: Next then shows what differs between it " +
			"and others.", Words: "compare diff", Listed: true},
		{ID: MarkPoint, In: []Place{Map}, Name: "mark", Help: "Mark the point at the cursor, to be compared with another one.",
			Words: "select pick"},
		{ID: MarkEntry, In: []Place{Shape}, Name: "mark", Help: "Mark the entry; actions then use all marked entries.", Words: "select",
			Listed: true},
		{ID: MarkConflict, In: []Place{Listing}, Name: "mark", Help: "Mark the conflict at the cursor; an answer then goes to all that are " +
			"marked.", Words: "select", Listed: true},
		{ID: PickLine, In: []Place{Mend}, Name: "mark line", Help: "Mark the line at the cursor: the marked lines are the answer.",
			Words: "select pick", Listed: true}}},
	{Keys: []string{","}, Means: "Marks several at once.", Actions: []Action{
		{ID: MarkMany, In: []Place{Shape}, Name: "mark several",
			Help: "Mark entries at once: a family, by author, file or text, the rest, all, " +
				"none.", Words: "select bulk all by author"}}},
	{Keys: []string{"a"}, Means: "Applies what Next shows.", Actions: []Action{
		{ID: DoSteps, In: []Place{Map}, Name: "apply", Help: "Do all that Next shows with the branches, in one step.",
			Words: "switch checkout delete", Command: "switch", Listed: true},
		{ID: Commit, In: []Place{Sort}, Name: "apply: commit", Help: "Make the commits from all trays that hold something, in order, in one " +
			"step.", Words: "commit save record", Command: "commit --all", Listed: true},
		{ID: JoinHomes, In: []Place{Homes}, Name: "apply: join", Help: "Join the marked hunks to their commits, and replay the later commits, " +
			"in one step.", Words: "fixup autosquash", Command: "home", Listed: true},
		{ID: ApplyPlan, In: []Place{Shape}, Name: "apply", Help: "Rewrite the branch as Next shows it, in one step.", Words: "rebase rewrite",
			Command: "apply", Listed: true},
		{ID: TakeParts, In: []Place{Parts}, Name: "use the parts", Help: "Put the parts in the commit's place in the plan. Whatever remains " +
			"in Now becomes the last part.", Listed: true},
		{ID: ApplyAnswers, In: []Place{Mend}, Name: "apply", Help: "Apply the plan once all is answered. In the working tree: write the files " +
			"that are fully answered; once all are, make the commit, or go on with the rebase.", Words: "continue resolve", Command: "mend --write",
			Listed: true},
		{ID: Push, In: []Place{Send}, Name: "apply: push", Help: "Push the branch, if the remote still has what Now shows. It asks before " +
			"commits there are replaced.", Words: "push force lease publish upload", Command: "send", Listed: true},
		{ID: LandNow, In: []Place{Landing}, Name: "apply: land", Help: "Move the target to what Next shows, on the remote and here, if the " +
			"remote still has what Now shows.", Command: "land", Listed: true}}},
	{Keys: []string{"A"}, Means: "Applies in another way.", Actions: []Action{
		{ID: CommitOne, In: []Place{Sort}, Name: "commit one tray", Help: "Make a commit from the tray at the cursor only.",
			Command: "commit --tray B"},
		{ID: AtOnce, In: []Place{Shape}, Name: "at once", Help: "Reword, leave out, squash, or join what is staged, without planning: done at " +
			"once, if it is clean.", Words: "fixup drop reword quick", Listed: true},
		{ID: OtherEnds, In: []Place{Mend}, Name: "give up, skip",
			Help: "Of what another tool began: skip the step that waits, give all of it up, or " +
				"take a rebase over as a plan in Shape.", Words: "abort skip quit rebase cherry-pick merge", Command: "mend --give-up, mend --skip, " +
				"mend --take-over", Listed: true},
		{ID: OtherPush, In: []Place{Send}, Name: "push otherwise", Help: "Push to another remote, with options for the server's hooks, or " +
			"with the stack's other branches, all or none.", Words: "remote options stack atomic",
			Command: "send --remote NAME --option TEXT --stack", Listed: true},
		{ID: LandByMerge, In: []Place{Landing}, Name: "by a merge", Help: "Land by a merge commit instead of in a straight line, and write " +
			"its message; without a message it is a straight line again.", Words: "no-ff", Command: "land --merge", Listed: true}}},
	{Keys: []string{"m"}, Means: "Writes a text.", Actions: []Action{
		{ID: RenameBranch, In: []Place{Map}, Name: "rename", Help: "Give the branch at the cursor another name; its settings follow.",
			Words: "branch name", Command: "branch rename", Listed: true},
		{ID: Message, In: []Place{Sort}, Name: "message", Help: "Write the message of the tray at the cursor, or of the current tray.",
			Words: "describe reword", Command: "message", Listed: true},
		{ID: EntryMessage, In: []Place{Shape}, Name: "message", Help: "Write the entry's message.", Words: "reword describe", Listed: true},
		{ID: WriteAnswer, In: []Place{Mend}, Name: "write", Help: "Write the text for this place yourself.", Words: "edit",
			Command: "mend --text KEY=FILE", Listed: true},
		{ID: WriteRemark, In: []Place{Reading}, Name: "remark", Help: "Write a remark on the line at the cursor; at the left on the commit. On " +
			"a remark of yours: change it.", Words: "comment review", Command: "remark", Listed: true}}},
	{Keys: []string{"x"}, Means: "Takes away what is at the cursor, or brings it back.", Actions: []Action{
		{ID: DropBranch, In: []Place{Map}, Name: "delete", Help: "Delete the branch at the cursor once a applies it, or keep it after all.",
			Words: "remove branch prune", Command: "branch delete", Listed: true},
		{ID: Discard, In: []Place{Sort}, Name: "discard", Help: "Throw the marked lines away, else the hunk at the cursor, or the file on its " +
			"heading. It asks first, and u brings them back.", Words: "restore reset checkout clean revert delete", Command: "discard",
			Listed: true},
		{ID: LeaveOut, In: []Place{Shape}, Name: "leave out", Help: "Leave the entry's commits, or those of the marked ones, out of the " +
			"series; or bring a commit back that was left out.", Words: "drop delete remove", Listed: true},
		{ID: ClearAnswer, In: []Place{Mend, Listing}, Name: "clear answer", Help: "Clear this answer, even a reused one.", Words: "reopen reset",
			Listed: true},
		{ID: DropRemark, In: []Place{Reading}, Name: "drop the remark", Help: "Delete the remark at the cursor.", Command: "remarks --drop N"},
		{ID: DeleteLanded, In: []Place{Landing}, Name: "delete the branch", Help: "Delete the branch afterwards, here and on the remote, if " +
			"all of it is in the target then; or keep it.", Words: "prune cleanup", Command: "land --delete", Listed: true},
		{ID: StopOutput, In: []Place{Output}, Name: "stop it", Help: "Stop the program whose output is shown."}}},
	{Keys: []string{"X"}, Means: "Takes the last push back.", Actions: []Action{
		{ID: TakePushBack, In: []Place{Send}, Name: "take the push back", Help: "Put the remote's branch back to where it was before your " +
			"last push, if nobody built on it.", Words: "undo push revert", Command: "send --take-back"}}},
	{Keys: []string{"u"}, Means: "Undoes the last thing done here: in what is open, then from the journal.", Actions: []Action{
		{ID: UndoStep, In: []Place{Map}, Name: "undo step", Help: "Forget the last step that is planned. With none left, the last commit or " +
			"other step."},
		{ID: Undo, In: []Place{Everywhere}, Name: "undo", Help: "Undo the last commit, rewriting or other step: it names it, and asks.",
			Words: "reset reflog revert", Command: "undo", Listed: true},
		{ID: UndoSorting, In: []Place{Sort}, Name: "undo sorting", Help: "Undo the last step of sorting. With none left, the last commit or " +
			"other step."},
		{ID: UndoPart, In: []Place{Parts}, Name: "undo", Help: "Undo the last step of sorting into parts. With none left, the last commit " +
			"or other step."},
		{ID: UndoEdit, In: []Place{Shape}, Name: "undo edit", Help: "Undo the last edit of the plan. With no edit left, the last applied step."},
		{ID: UndoAnswer, In: []Place{Mend, Listing}, Name: "undo answer",
			Help: "Undo the last answer, or the last edit of the plan. With none left, " +
				"the last applied step."}}},
	{Keys: []string{"U"}, Means: "Does again what was undone.", Actions: []Action{
		{ID: Redo, In: []Place{Everywhere}, Name: "redo", Help: "Do again what was undone.", Command: "redo"},
		{ID: RedoSorting, In: []Place{Sort}, Name: "redo sorting", Help: "Do the step of sorting again that was undone."},
		{ID: RedoPart, In: []Place{Parts}, Name: "redo", Help: "Do the step of sorting into parts again that was undone."},
		{ID: RedoEdit, In: []Place{Shape}, Name: "redo edit", Help: "Do the edit again that was undone."},
		{ID: RedoAnswer, In: []Place{Mend, Listing}, Name: "redo answer", Help: "Do the answer again that was undone."}}},
	{Keys: []string{"f"}, Means: "The whole file instead of a part.", Actions: []Action{
		{ID: WholeFile, In: []Place{Sort}, Name: "whole file", Help: "Put all hunks of the file at the cursor into the current tray; in Next, " +
			"back.", Words: "stage file add", Command: "stage PATH", Listed: true},
		{ID: FileOfPart, In: []Place{Parts}, Name: "whole file", Help: "Put all hunks of the file at the cursor into the current part; in " +
			"Next, back.", Listed: true},
		{ID: AnswerFile, In: []Place{Mend}, Name: "whole file", Help: "Answer the file as a whole: one side's version, or that it is deleted."}}},
	{Keys: []string{"e"}, Means: "Everything instead of a part.", Actions: []Action{
		{ID: AllBranches, In: []Place{Map}, Name: "all branches", Help: "Show all branches, those of remotes too, or the nearest ones again.",
			Words: "remote show list", Command: "branches --all", Listed: true},
		{ID: VersionText, In: []Place{Telling}, Name: "all of the file", Help: "Show the whole file as of the commit at the cursor, or what " +
			"the commit changed of it.", Words: "text content cat", Listed: true},
		{ID: Everything, In: []Place{Sort}, Name: "everything", Help: "Put everything into the current tray; in Next, all of the tray back.",
			Words: "stage all add"},
		{ID: ListConflicts, In: []Place{Mend}, Name: "all conflicts", Help: "List all conflicts: entry, file, kind, and how each is answered.",
			Words: "list overview files", Command: "mend", Listed: true},
		{ID: AsOne, In: []Place{Reading}, Name: "as a whole", Help: "Show the whole branch as one difference, or commit by commit.",
			Listed: true}}},
	{Keys: []string{"t"}, Means: "Chooses where things go.", Actions: []Action{
		{ID: PutBranch, In: []Place{Map}, Name: "move branch", Help: "Choose the point that the branch at the cursor moves to, such as " +
			"exactly where its remote has it.", Words: "reset hard point", Command: "move", Listed: true},
		{ID: ChooseTray, In: []Place{Sort}, Name: "choose tray", Help: "Choose the current tray, which enter puts things into, or open a new " +
			"one."},
		{ID: ChooseHome, In: []Place{Homes}, Name: "another home", Help: "Choose another commit for the hunk.", Listed: true},
		{ID: MoveTo, In: []Place{Shape}, Name: "to a place", Help: "Move the entry, or the marked ones, to the start, to the end, or before " +
			"another entry.", Words: "reorder move"}}},
	{Keys: []string{"H"}, Means: "Finds the commits that hunks belong to.", Actions: []Action{
		{ID: FindHomes, In: []Place{Sort}, Name: "find homes", Help: "Find the commit of the branch that each loose hunk belongs to, to join " +
			"them; in Next, for those of the tray.", Words: "fixup autosquash join earlier commit", Command: "home", Listed: true}}},
	{Keys: []string{"M"}, Means: "Amends the last commit.", Actions: []Action{
		{ID: Amend, In: []Place{Sort}, Name: "amend", Help: "Change the last commit: add tray A to it, or change its message or author.",
			Words: "amend last commit fix", Command: "amend"}}},
	{Keys: []string{"d"}, Means: "Divides what is at the cursor.", Actions: []Action{
		{ID: DivideHunk, In: []Place{Sort}, Name: "divide hunk", Help: "Divide the hunk in two before the line at the cursor, or make it one " +
			"again.", Words: "split cut"},
		{ID: DividePart, In: []Place{Parts}, Name: "divide hunk", Help: "Divide the hunk in two before the line at the cursor, or make it one " +
			"again.", Words: "split cut"},
		{ID: Divide, In: []Place{Shape}, Name: "divide", Help: "Divide the entry's commit into several, by hunks and lines.",
			Words: "split edit", Listed: true}}},
	{Keys: []string{"i"}, Means: "Edits the content of what is at the cursor.", Actions: []Action{
		{ID: EditHunk, In: []Place{Sort}, Name: "edit hunk", Help: "Edit the text of the hunk at the cursor as it goes into the tray. The " +
			"working file stays as it is.", Command: "stage ID --text FILE"},
		{ID: EditContent, In: []Place{Shape}, Name: "edit content", Help: "Change what the entry holds, in a scratch folder, with your editor " +
			"or a shell.", Words: "edit stop"}}},
	{Keys: []string{"E"}, Means: "Opens what is at the cursor in a program outside.", Actions: []Action{
		{ID: OpenVersion, In: []Place{Telling}, Name: "open a copy", Help: "Open a copy of the file as of the commit at the cursor in your " +
			"editor; it is gone afterwards.", Words: "edit view"},
		{ID: OpenFile, In: []Place{Sort}, Name: "open file", Help: "Open the working file at the cursor's line in your editor.",
			Words: "editor vim"},
		{ID: EditOutside, In: []Place{Mend}, Name: "in your editor", Help: "Open the file with markers in your editor, in a scratch folder " +
			"with what lies around it, and take the result back.", Words: "mergetool editor"},
		{ID: ServerPage, In: []Place{Send}, Name: "server's page", Help: "Open or copy an address that the server named when you last pushed, " +
			"such as its page for reviews.", Words: "browser pull request merge request"}}},
	{Keys: []string{"v"}, Means: "Reads: ticks off what was read.", Actions: []Action{
		{ID: ReadHunk, In: []Place{Sort}, Name: "tick as read", Help: "Tick the hunk at the cursor off as read: it is hidden, and the cursor " +
			"goes to the next unread one. Press again to undo.", Words: "review viewed"},
		{ID: ReadThrough, In: []Place{Send}, Name: "read through", Help: "Read the branch as its reviewers will see it, commit by commit; " +
			"tick off what you have read, and keep remarks on lines.", Words: "review", Command: "read", Listed: true},
		{ID: ReadPart, In: []Place{Reading}, Name: "tick as read", Help: "Tick the hunk at the cursor off as read, and go on. On the heading " +
			"of a file: all of it; at the left: the commit. Press again to undo.", Words: "review viewed", Command: "read COMMIT", Listed: true}}},
	{Keys: []string{"s"}, Means: "Squashes.", Actions: []Action{
		{ID: Squash, In: []Place{Shape}, Name: "squash", Help: "Squash the entry into the one above it, or all marked entries into the first " +
			"of them. The first one's message stays until you write another.", Words: "fixup combine join merge", Listed: true}}},
	{Keys: []string{"S"}, Means: "Takes apart what was squashed.", Actions: []Action{
		{ID: Unsquash, In: []Place{Shape}, Name: "take apart", Help: "Take an entry of several commits apart again.", Words: "unsquash split"}}},
	{Keys: []string{"shift+up", "K"}, Means: "Moves the entry up.", Actions: []Action{
		{ID: MoveUp, In: []Place{Shape}, Name: "move up", Help: "Move the entry up by one, towards the older ones.", Words: "reorder",
			Listed: true}}},
	{Keys: []string{"shift+down", "J"}, Means: "Moves the entry down.", Actions: []Action{
		{ID: MoveDown, In: []Place{Shape}, Name: "move down", Help: "Move the entry down by one, towards the newer ones.", Words: "reorder"}}},
	{Keys: []string{"("}, Means: "Chooses where the series begins.", Actions: []Action{
		{ID: ChooseLine, In: []Place{Map}, Name: "hang from", Help: "Choose the line that branches hang from, such as a release; at first the " +
			"target.", Words: "base line release", Command: "branches --line BRANCH"},
		{ID: Begins, In: []Place{Shape}, Name: "begins after", Help: "Choose the commit after which the series begins.",
			Words: "base start range fork point", Command: "plan --base REF"}}},
	{Keys: []string{")"}, Means: "Chooses what the series goes onto.", Actions: []Action{
		{ID: OntoFromMap, In: []Place{Map}, Name: "shape onto", Help: "Go to Shape with the branch at the cursor at work: its series " +
			"goes onto the marked point, or you choose one there. Nothing is checked out.", Words: "rebase", Command: "plan --branch NAME"},
		{ID: Onto, In: []Place{Shape}, Name: "goes onto", Help: "Choose what the series goes onto: it stays where it begins, or moves onto " +
			"another branch.", Words: "rebase onto update target", Command: "plan --onto REF", Listed: true},
		{ID: OntoTarget, In: []Place{Landing}, Name: "onto the target", Help: "Fetch, and put the branch's commits onto its target in Shape.",
			Words: "rebase", Listed: true}}},
	{Keys: []string{"+"}, Means: "Makes something new.", Actions: []Action{
		{ID: NewBranch, In: []Place{Map}, Name: "new branch", Help: "Make a branch at the commit at the cursor; of a remote's branch it " +
			"follows that one.", Words: "create branch", Command: "branch new", Listed: true},
		{ID: NewCommit, In: []Place{Shape}, Name: "new commit", Help: "Insert a new commit after the entry: an empty one, or one of what is " +
			"loose or in a tray.", Words: "insert add empty"},
		{ID: MakeRepository, In: []Place{Nowhere}, Name: "make a repository here", Help: "Make an empty repository in this folder.",
			Words: "init", Listed: true}}},
	{Keys: []string{"@"}, Means: "Changes author and date.", Actions: []Action{
		{ID: Author, In: []Place{Shape}, Name: "author, date", Help: "Change the entry's author or date, or name the others who wrote it.",
			Words: "co-author committer"}}},
	{Keys: []string{"o"}, Means: "Goes to the branch: checks it out.", Actions: []Action{
		{ID: GoThere, In: []Place{Map}, Name: "check out", Help: "Go to the branch at the cursor once a applies it; loose changes are " +
			"carried.", Words: "switch checkout change branch", Command: "switch", Listed: true}}},
	{Keys: []string{"b"}, Means: "Chooses the branch at work.", Actions: []Action{
		{ID: WorkHere, In: []Place{Map}, Name: "at work", Help: "Make the branch at the cursor the one at work: the one that is shaped, sent " +
			"and landed.", Words: "shape branch"},
		{ID: Branch, In: []Place{Everywhere}, Name: "branch", Help: "Choose the branch at work: the one that is shaped, sent and landed. It " +
			"need not be checked out, and nothing is switched.", Words: "switch checkout", Command: "plan --branch NAME"}}},
	{Keys: []string{"B"}, Means: "Chooses the target: where the branch lands.", Actions: []Action{
		{ID: ChooseTarget, In: []Place{Everywhere}, Name: "target", Help: "Choose where the branch at work lands one day. The choice is kept; " +
			"a push does not change it.", Words: "upstream base goal merge into destination", Command: "target NAME"}}},
	{Keys: []string{"Y"}, Means: "Takes commits from elsewhere.", Actions: []Action{
		{ID: BringIn, In: []Place{Map}, Name: "bring in", Help: "Plan, in Shape, a merge of the point at the cursor into the branch at work; " +
			"what conflicts is answered in Mend.", Words: "merge pull", Command: "plan --merge BRANCH"},
		{ID: TakeHere, In: []Place{Look}, Name: "take", Help: "On Map: take the marked lines, else the hunk at the cursor, or the file on its " +
			"heading: as loose changes, as an entry of the plan, or the whole file as it is there.", Words: "cherry-pick restore checkout copy",
			Command: "take POINT -- PATH", Listed: true},
		{ID: TakeVersion, In: []Place{Telling}, Name: "take the file", Help: "Put the file into the working tree as the commit at the cursor " +
			"left it.", Words: "restore checkout copy", Command: "take POINT -- PATH", Listed: true},
		{ID: TakeCommits, In: []Place{Shape}, Name: "take commits", Help: "Take commits of another branch: as further entries of the plan, or " +
			"only what they change, as loose changes.", Words: "cherry-pick copy backport", Command: "plan --take COMMIT"},
		{ID: TakeIn, In: []Place{Send}, Name: "take in", Help: "Take what others pushed to the branch into the plan, as further entries.",
			Words: "pull integrate rebase", Listed: true}}},
	{Keys: []string{"!"}, Means: "Goes to what stands in the way.", Actions: []Action{
		{ID: Conflicts, In: []Place{Shape}, Name: "conflicts", Help: "Answer the conflicts, in Mend.", Words: "resolve merge",
			Command: "mend", Listed: true},
		{ID: ToConflicts, In: []Place{Everywhere}, Name: "conflicts", Help: "Go to Mend, where what waits in the working tree is answered and " +
			"finished.", Words: "resolve merge rebase continue"},
		{ID: OtherConflicts, In: []Place{Mend, Listing}, Name: "the other conflicts", Help: "Go from the plan's conflicts to those in the " +
			"working tree, or back."},
		{ID: LookBefore, In: []Place{Send}, Name: "preflight", Help: "Look at what would be sent, before it is: subjects, messages, " +
			"leftovers, large files, authors, checks, the target.", Words: "lint check", Command: "preflight", Listed: true}}},
	{Keys: []string{"="}, Means: "Compares.", Actions: []Action{
		{ID: CompareTarget, In: []Place{Everywhere}, Name: "compare", Help: "Compare the branch at work with its target: commits on either " +
			"side, and what differs. esc comes back here.", Words: "diff against", Command: "compare"},
		{ID: CompareBranches, In: []Place{Map}, Name: "compare", Help: "Compare the point at the cursor with the marked one, or with the " +
			"target: commits on either side, and what differs.", Words: "diff against", Command: "compare", Listed: true},
		{ID: AgainstBase, In: []Place{Mend}, Name: "against the base", Help: "Show each side as what it changed of the base, or as it is again.",
			Words: "diff base ancestor"},
		{ID: CompareEnd, In: []Place{Shape}, Name: "content at the end", Help: "List the files whose content at the end is not the branch's, " +
			"and what brings that.", Words: "compare diff proof"}}},
	{Keys: []string{"'"}, Means: "To the next side of a conflict.", Actions: []Action{
		{ID: NextSide, In: []Place{Mend}, Name: "next side", Help: "Go to the first line of the next side, or of the base."}}},
	{Keys: []string{"*"}, Means: "Offers ideas.", Actions: []Action{
		{ID: Ideas, In: []Place{Shape}, Name: "ideas", Help: "Show what could be joined or left out: by subjects, by lines that are written " +
			"twice, by conflicts.", Words: "suggest autosquash", Command: "suggest"},
		{ID: AnswerIdeas, In: []Place{Mend}, Name: "ideas", Help: "Show answers that could be right.", Words: "suggest", Listed: true}}},
	{Keys: []string{"R"}, Means: "Gives the same answer to the rest.", Actions: []Action{
		{ID: SameForRest, In: []Place{Mend}, Name: "same for the rest",
			Help: "Give the answer at the cursor to the rest of its file; on an open " +
				"place the one that was given last. Each further press goes further: to the same conflict elsewhere, to files like it, to later " +
				"entries, to all.", Words: "all", Listed: true}}},
	{Keys: []string{"T"}, Means: "Runs your check command.", Actions: []Action{
		{ID: CheckTray, In: []Place{Sort}, Name: "check", Help: "Run your check command on the exact content that the tray would commit, in a " +
			"scratch folder.", Words: "test build ci", Command: "check --tray B"},
		{ID: CheckEntries, In: []Place{Shape}, Name: "check", Help: "Run your check command on the exact content of every resulting commit, " +
			"in scratch folders.", Words: "test build exec", Command: "check PLAN"}}},
	{Keys: []string{"L"}, Means: "Sweeps leftovers.", Actions: []Action{
		{ID: SweepLoose, In: []Place{Sort}, Name: "sweep", Help: "Throw all lines with a ▲ away: debug prints and other leftovers. It asks " +
			"first, and u brings them back.", Words: "debug print todo", Command: "sweep", Listed: true},
		{ID: SweepBranch, In: []Place{Shape}, Name: "sweep", Help: "Find debug prints and other leftovers in every commit of the branch, and " +
			"remove them there.", Words: "debug print todo", Command: "sweep --branch"}}},
	{Keys: []string{"O"}, Means: "Shows what overlaps.", Actions: []Action{
		{ID: ShowOverlaps, In: []Place{Shape}, Name: "overlaps", Help: "Show files by commits: which commits overlap, and what can be " +
			"reordered.", Words: "dependencies", Command: "overlap"}}},
	{Keys: []string{"W"}, Means: "Writes a picture.", Actions: []Action{
		{ID: DrawChart, In: []Place{Map}, Name: "draw", Help: "Write a picture of the chart, as it is and as it will be, as SVG or PDF.",
			Words: "svg pdf graph export", Command: "draw --branches"},
		{ID: DrawPlan, In: []Place{Shape}, Name: "draw", Help: "Write a picture of the plan, as SVG or PDF.", Words: "svg pdf graph export",
			Command: "draw"},
		{ID: DrawOverlaps, In: []Place{Overlaps}, Name: "draw", Help: "Write a picture of the overlaps, as SVG or PDF.",
			Words: "svg pdf export", Command: "draw --overlap", Listed: true},
		{ID: DrawSent, In: []Place{Send}, Name: "draw", Help: "Write a picture, as SVG or PDF: the seam between the remote and here, or the " +
			"history before and after.", Words: "svg pdf graph export", Command: "draw --sent"}}},
	{Keys: []string{"C"}, Means: "Hands over a text: to the clipboard or a file.", Actions: []Action{
		{ID: ToClipboard, In: []Place{Handing}, Name: "to the clipboard", Help: "Put the text on the clipboard.", Words: "copy yank",
			Listed: true},
		{ID: HandOver, In: []Place{Send}, Name: "hand over", Help: "See the text of a request for review, or the series as patches; and copy " +
			"it or write it into a file.", Words: "pull request merge request format-patch mail clipboard", Command: "request"},
		{ID: CopyHere, In: []Place{Map, Sort, Shape}, Name: "copy", Help: "Put what is at the cursor on the clipboard: an id, a subject, a " +
			"branch; a line, a hunk as a patch, a path.", Words: "clipboard yank sha hash"},
		{ID: CopyCommit, In: []Place{Look}, Name: "copy", Help: "Put what there is to say of the commit on the clipboard, as text.",
			Words: "clipboard yank"},
		{ID: CopyRemarks, In: []Place{Reading}, Name: "copy the remarks", Help: "Put the remarks on the clipboard, as Markdown.",
			Words: "clipboard export", Command: "remarks"}}},
	{Keys: []string{"V"}, Means: "Lands the branch on its target.", Actions: []Action{
		{ID: LandFromMap, In: []Place{Map}, Name: "land", Help: "Plan that the branch at the cursor lands on its target, or not after all; " +
			"several land in the " +
			"order of the keys. Nothing is checked out.", Words: "merge finish", Command: "land BRANCH"},
		{ID: Land, In: []Place{Send}, Name: "land", Help: "See how the target would move forward to the branch, on the remote and here; and " +
			"do it.", Words: "merge fast-forward deliver", Command: "land", Listed: true}}},
	{Keys: []string{"."}, Means: "Marks a remark as done, or opens it again.", Actions: []Action{
		{ID: RemarkDone, In: []Place{Reading}, Name: "done", Help: "Mark the remark at the cursor as done, or open it again.",
			Words: "resolve close", Command: "remarks --done N", Listed: true}}},
	{Keys: []string{"-"}, Means: "Hides what is at the cursor, or shows it again.", Actions: []Action{
		{ID: Hide, In: []Place{Sort, Reading}, Name: "hide", Help: "Hide the hunk at the cursor, or the file or tray on its heading, or show " +
			"it again.", Words: "collapse fold"},
		{ID: OpenRows, In: []Place{Map}, Name: "open", Help: "Give the commits of the branch at the cursor rows of their own, or put them " +
			"into the branch's row again.", Words: "list log commits expand collapse", Listed: true},
		{ID: OnlyConflicts, In: []Place{Listing}, Name: "only some", Help: "Choose which conflicts are listed: what is open, this file, this " +
			"kind, those against this person.", Words: "filter", Listed: true},
		{ID: FoldPlaces, In: []Place{Overlaps}, Name: "places", Help: "Show or hide the places in the file, each with the commits whose lines " +
			"touch there.", Listed: true}}},
	{Keys: []string{">"}, Means: "More context.", Actions: []Action{
		{ID: MoreContext, In: []Place{Sort}, Name: "more context", Help: "Show more unchanged lines around the changes."}}},
	{Keys: []string{"<"}, Means: "Less context.", Actions: []Action{
		{ID: LessContext, In: []Place{Sort}, Name: "less context", Help: "Show fewer unchanged lines around the changes."}}},
	{Keys: []string{"_"}, Means: "Hides changes of white space, or shows them again.", Actions: []Action{
		{ID: HideSpaces, In: []Place{Sort}, Name: "hide white space", Help: "Hide changes of white space, or show them again. Only what is " +
			"shown changes.", Words: "whitespace ignore"}}},
	{Keys: []string{"y"}, Means: "Loads what is too large to load automatically.", Actions: []Action{
		{ID: Load, In: []Place{Sort}, Name: "load", Help: "Show a file line by line that is too large to load automatically."}}},
	{Keys: []string{"z"}, Means: "Starts over.", Actions: []Action{
		{ID: ClearSteps, In: []Place{Map}, Name: "start over", Help: "Forget all steps that are planned.", Words: "reset abort"},
		{ID: StartOver, In: []Place{Shape}, Name: "start over", Help: "Forget all edits of the plan.", Words: "reset abort"}}},
	{Keys: []string{"/"}, Means: "Searches.", Actions: []Action{
		{ID: FindOnChart, In: []Place{Map}, Name: "search", Help: "Find a branch or a commit by its name, text, author or id, and go there.",
			Words: "grep find", Listed: true},
		{ID: SearchPlan, In: []Place{Shape}, Name: "search", Help: "Find an entry by its subject, letter, author or id, and go there.",
			Words: "grep find jump go to"},
		{ID: Search, In: []Place{Sort, Look, Telling}, Name: "search", Help: "Find a text in what is shown and go there; a difference: on Map.",
			Words: "grep find"}}},
	{Keys: []string{"F"}, Means: "Fetches.", Actions: []Action{
		{ID: Fetch, In: []Place{Everywhere}, Name: "fetch", Help: "Fetch from the remote. Your branches and files stay as they are.",
			Words: "pull update download", Command: "fetch"}}},
	{Keys: []string{"ctrl+f"}, Means: "Moves branches forward to what was fetched.", Actions: []Action{
		{ID: Forward, In: []Place{Everywhere}, Name: "forward", Help: "Move the current branch up to its upstream, with loose changes " +
			"carried, and the local branch of the target's name, without a switch; only where they have no commits of their own.",
			Words: "pull fast-forward update", Command: "fetch --forward"}}},
	{Keys: []string{"I"}, Means: "Tells how a file came to be what it is.", Actions: []Action{
		{ID: Story, In: []Place{Everywhere}, Name: "story", Help: "Show the commits that changed the file at the cursor, through its renames; " +
			"on a line, the one that wrote it.", Words: "blame annotate history log who wrote file", Command: "story PATH"}}},
	{Keys: []string{"c"}, Means: "Shows differences in two columns, or in one.", Actions: []Action{
		{ID: Columns, In: []Place{Everywhere}, Name: "columns", Help: "Show differences in two columns, what was beside what is, or in one " +
			"again; two need 110 columns of the terminal.", Words: "side by side split view"}}},
	{Keys: []string{"w"}, Means: "Shows the journal.", Actions: []Action{
		{ID: Journal, In: []Place{Everywhere}, Name: "journal", Help: "Show what was done here.", Words: "reflog log history",
			Command: "journal"}}},
	{Keys: []string{"r"}, Means: "Looks again.", Actions: []Action{
		{ID: Refresh, In: []Place{Everywhere, Nowhere}, Name: "refresh", Help: "Read the repository again; in the preflight, look at what " +
			"would be sent again.", Words: "reload status"}}},
	{Keys: []string{"D"}, Means: "Opens the demo.", Actions: []Action{
		{ID: OpenDemo, In: []Place{Everywhere, Nowhere}, Name: "open the demo",
			Help: "Make the demo data in a temporary folder and go there.", Words: "try example tutorial", Command: "demo"}}},
	{Keys: []string{";"}, Means: "Opens the menu: what can be done here that has no key of its own.", Actions: []Action{
		{ID: Menu, In: []Place{Everywhere}, Name: "more", Help: "List what can be done here that has no key of its own.", Listed: true}}},
	{Keys: []string{":"}, Means: "Finds an action.", Actions: []Action{
		{ID: FindAction, In: []Place{Everywhere}, Name: "find", Help: "Find an action by its name, or by the word that you know for it.",
			Words: "command palette", Listed: true}}},
	{Keys: []string{"?"}, Means: "Explains what is shown.", Actions: []Action{
		{ID: Help, In: []Place{Everywhere}, Name: "help", Help: "Explain this screen.", Words: "manual keys", Listed: true}}},
	{Keys: []string{"Z"}, Means: "Begins the tour, and goes on in it.", Actions: []Action{
		{ID: Tour, In: []Place{Everywhere}, Name: "tour", Help: "Begin the tour of the screens, or go on to its next step.",
			Words: "tutorial learn introduction first steps"}}},
	{Keys: []string{"q", "ctrl+c"}, Means: "Leaves.", Actions: []Action{
		{ID: Leave, In: []Place{Everywhere, Nowhere}, Name: "leave", Help: "Leave. Drafts are kept.", Words: "quit exit close", Listed: true}}},
	{Keys: []string{"ctrl+z"}, Means: "Goes to the shell for a while.", Actions: []Action{
		{ID: Suspend, In: []Place{Everywhere}, Name: "suspend", Help: "Go to the shell for a while; fg comes back, and all is as it was.",
			Words: "shell background stop"}}},
	{Keys: []string{"ctrl+s"}, Means: "Keeps the text that is being written.", Actions: []Action{
		{ID: KeepText, In: []Place{Writing}, Name: "keep", Help: "Keep the text, and go back."}}},
	{Keys: []string{"ctrl+r"}, Means: "Reads all of what was said.", Actions: []Action{
		{ID: ReadNotice, In: []Place{Everywhere}, Name: "read it all", Help: "Read all of what was said last, where it had no room for all " +
			"of it.", Words: "message notice error log"}}},
	{Keys: []string{"ctrl+down", "alt+down"}, Means: "Down in what a text is for.", Actions: []Action{
		{ID: AboutDown, In: []Place{Writing}, Name: "what it is for", Help: "Down in what the message is for, which stands in Now; where the " +
			"halves are pages, go there first. Any other key goes on writing."}}},
	{Keys: []string{"ctrl+up", "alt+up"}, Means: "Up in what a text is for.", Actions: []Action{
		{ID: AboutUp, In: []Place{Writing}, Name: "up in it", Help: "Up in what the message is for."}}},
	{Keys: []string{"ctrl+e"}, Means: "Goes on in your own editor.", Actions: []Action{
		{ID: OwnEditor, In: []Place{Writing}, Name: "your own editor", Help: "Go on writing in your own editor."}}},
	{Keys: []string{"ctrl+o"}, Means: "Lists earlier messages.", Actions: []Action{
		{ID: EarlierTexts, In: []Place{Writing}, Name: "earlier messages", Help: "Start from an earlier message."}}},
	{Keys: []string{"ctrl+t"}, Means: "Adds a trailer.", Actions: []Action{
		{ID: Trailers, In: []Place{Writing}, Name: "trailers", Help: "Add a trailer to the message.", Words: "sign off co-author"}}},

	{Means: "In the menu and the finder only.", Actions: []Action{
		{ID: DarkOrLight, In: []Place{Everywhere}, Keys: none, Name: "dark or light", Help: "Take the colours for a light background, or for a " +
			"dark one again, and keep that.", Words: "theme colours background contrast"},
		{ID: EndStep, In: []Place{Everywhere}, Keys: none, Name: "end what was left", Help: "Finish a step that was left half done, or take " +
			"it back.", Words: "doctor finish take back crash interrupted", Command: "doctor --finish, doctor --take-back"},
		{ID: Loosen, In: []Place{Sort}, Keys: none, Name: "loosen commits", Help: "Make the last commits loose changes again, or trays.",
			Words: "reset soft undo commit", Command: "loosen COMMIT"},
		{ID: Ignored, In: []Place{Sort}, Keys: none, Name: "ignored files", Help: "List the files that are ignored.", Words: "gitignore"},
		{ID: DropMerged, In: []Place{Map}, Keys: none, Name: "delete merged", Help: "Plan to delete the branches whose commits are all in the " +
			"target; x keeps one after all.", Words: "remove branches prune clean up", Command: "branch delete --merged"},
		{ID: MakeTag, In: []Place{Map}, Keys: none, Name: "tag", Help: "Plan a tag at the cursor: a name that stays there.",
			Words: "version release", Command: "tag NAME"},
		{ID: LostAndFound, In: []Place{Map}, Keys: none, Name: "lost and found", Help: "List what can be found again: commits that only " +
			"reflogs hold, deleted branches, what was put aside or thrown away.", Words: "reflog recover restore rescue", Command: "lost"},
		{ID: CompareLoose, In: []Place{Map}, Keys: none, Name: "compare with loose", Help: "Compare the point at the cursor with what lies in " +
			"the working tree, or in a tray.", Words: "diff working tree index staged", Command: "compare POINT @loose"},
		{ID: ChooseStack, In: []Place{Shape}, Keys: none, Name: "branches on it",
			Help:  "Choose which other branches come along when the commits that they sit on are rewritten.",
			Words: "stack, update refs, dependent branches", Command: "stack"},
		{ID: CheckOutput, In: []Place{Shape}, Keys: none, Name: "check's output", Help: "Show what the check said of the entry."},
		{ID: RevertCommit, In: []Place{Map}, Keys: none, Name: "revert", Help: "Plan, in Shape, a commit of the branch at work that reverts " +
			"the commit at the cursor.", Words: "revert undo commit", Command: "revert COMMIT"},
		{ID: SitOn, In: []Place{Map}, Keys: none, Name: "sits on", Help: "Have the series of the branch at the cursor begin at the marked " +
			"point, in Shape, or choose that there: what it sits on is not what it lands on.", Words: "base fork point parent stack",
			Command: "plan --base REF"},
		{ID: ToFork, In: []Place{Map}, Keys: none, Name: "to the fork", Help: "Go to the commit of the line that the branch at the cursor left.",
			Words: "merge base mooring"},
		{ID: ToMerge, In: []Place{Map}, Keys: none, Name: "next merge", Help: "Go to the next merge commit among the rows shown.",
			Words: "merge commit"},
		{ID: DrawSince, In: []Place{Map}, Keys: none, Name: "draw since", Help: "Write a picture of the branches as they were before a step " +
			"of the journal, and as they are now.", Words: "before after picture svg pdf history", Command: "draw --branches --since N"},
		{ID: RevertSource, In: []Place{Shape}, Keys: none, Name: "revert", Help: "Add an entry that reverts the commit at the cursor, and says " +
			"why.", Words: "revert undo commit", Command: "revert COMMIT"},
		{ID: JoinFirst, In: []Place{Mend}, Keys: none, Name: "join first", Help: "Join the entries that conflict at the same lines, so that " +
			"the question is asked once.", Words: "squash"},
		{ID: MarkResolved, In: []Place{Mend}, Keys: none, Name: "mark as resolved", Help: "Mark the file as resolved, as it is.",
			Words: "add resolve", Command: "mend --resolved PATH"},
		{ID: Remembered, In: []Place{Mend}, Keys: none, Name: "remembered answers",
			Help: "List the answers that come back automatically, and forget some.", Command: "answers"},
		{ID: StopTaking, In: []Place{Mend}, Keys: none, Name: "stop taking",
			Help: "Stop taking those commits as loose changes. Your files are as they were.", Words: "abort cancel", Command: "take --stop"},
		{ID: ListRemarks, In: []Place{Reading}, Keys: none, Name: "remarks", Help: "List all remarks on the branch, and go to one.",
			Words: "comments", Command: "remarks"},
		{ID: Receive, In: []Place{Reading}, Keys: none, Name: "comments of reviewers", Help: "Ask the review service that bastel.review names " +
			"for comments and approvals.", Words: "comments review", Command: "comments"}}},
}

// Screens are the keys of the screens, in their order.
var Screens = []string{"f2", "f3", "f4", "f5", "f6"}

// Digits are the keys of what is numbered.
var Digits = []string{"1", "2", "3", "4", "5", "6", "7", "8", "9"}

// none is for actions without a key.
var none = []string{}
