package kit

// Over is a view that lies over a screen until it is left, such as a look into a commit or a divided commit: with its own model,
// keys and size. The screen below stays as it is.
type Over interface {
	Explain() (title, text string) // in the help: what it is for
	Actions() []Action
	View(size Size, theme Theme) []string
	Click(x, y int)
	Wheel(x, turns int)
}
