package app

import "strconv"

// columnsFile keeps in how many columns differences are shown.
const columnsFile = "columns"

// Columns is in how many columns differences were shown last: one, or two.
func (a *App) Columns() int {
	if n, err := strconv.Atoi(a.ReadState(columnsFile)); err == nil && n == 2 {
		return n
	}
	return 1
}

// KeepColumns keeps that for the next time.
func (a *App) KeepColumns(columns int) error { return a.WriteState(columnsFile, strconv.Itoa(columns)) }
