package safe_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/safe"
)

func TestTextThatGoesToTheLeft(t *testing.T) {
	for text, want := range map[string]string{
		"plain":              "plain",
		"naïve — 漢字":         "naïve — 漢字",
		"שלום":               "םולש",
		"berth שלום here":    "berth םולש here",
		"x := \"שלום עולם\"": "x := \"םלוע םולש\"",
		"שלום 12 עולם":       "םלוע 12 םולש",
		"(שלום)":             "(םולש)",
		"א(ב)ג":              "ג(ב)א",
		"مرحبا 3":            "3 ابحرم",
		"שלום 3 here":        "3 םולש here",
		"at 12 שלום, x":      "at 12 םולש, x",
		"שלום berth":         "םולש berth",
	} {
		assert.Equal(t, want, safe.Visual(text), text)
	}
}
