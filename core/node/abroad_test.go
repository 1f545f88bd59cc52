package node

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/network"
)

func TestWholeNumbersOfFormulasAreFloatsElsewhere(t *testing.T) {
	for text, want := range map[string]string{"a + 1": "a + 1.0", "vec3(1, 0.5, 2e-1)[1] * 3": "vec3(1.0, 0.5, 2e-1)[1] * 3.0", "x2 * 10": "x2 * 10.0", "int(a) << 2": "int(a) << 2", "1.": "1.", "a > 0 ? 1 : 0": "a > 0.0 ? 1.0 : 0.0"} {
		assert.Equal(t, want, asFloats(text))
	}
}

// A kind goes to both languages, or says why not; those that draw lines go nowhere.
func TestEveryKindAnswersForWhereItGoes(t *testing.T) {
	list := Catalogue{}.Travels()
	assert.Len(t, list, len(kinds)-1)
	for _, e := range list {
		if !e.GLSL || !e.MaterialX {
			assert.NotEmpty(t, e.Why, e.Kind.Spec.Kind)
		}
		if e.Lines {
			assert.False(t, e.GLSL || e.MaterialX, e.Kind.Spec.Kind)
		}
	}
	assert.Nil(t, Catalogue{}.Kind(network.FinishKind).GLSL)
}

func TestTheLibraryGivesWhatIsNeeded(t *testing.T) {
	text := Library([]string{"fractal"})
	for _, name := range []string{"uint scatter(", "float noise(", "float seen(", "float fractal("} {
		assert.Equal(t, 1, strings.Count(text, name), name)
	}
	assert.NotContains(t, text, "cellsAt")
	assert.Less(t, strings.Index(text, "float noise("), strings.Index(text, "float fractal("), "before it is used")
	assert.Equal(t, Library([]string{"fractal", "noise"}), Library([]string{"noise", "fractal"}))
}
