package live

import (
	"errors"
	"io"
	"log"
	"strings"
	"testing"
)

// A mistake in one message is told and goes no further.
func TestAMistakeInAMessageIsTold(t *testing.T) {
	defer log.SetOutput(log.Writer())
	log.SetOutput(io.Discard)
	var none []int
	err := guarded("stroke.end", func() error { return errors.New([]string{"never"}[len(none)+1]) })
	if err == nil || !strings.Contains(err.Error(), `"stroke.end"`) || !strings.Contains(err.Error(), "index out of range") {
		t.Errorf("it is told as %v", err)
	}
	want := errors.New("refused")
	if err := guarded("op", func() error { return want }); err != want {
		t.Errorf("a refusal became %v", err)
	}
}
