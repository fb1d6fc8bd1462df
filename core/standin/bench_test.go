package standin

import (
	"os"
	"testing"

	"goldshelf/core/endpoint"
)

func BenchmarkReply(b *testing.B) {
	text, err := os.ReadFile("../../internal/demo/library/burst-main-notice@2.md")
	if err != nil {
		b.Fatal(err)
	}
	m := Models()[0]
	r := endpoint.Request{Model: m.Name, Messages: []endpoint.ModelMessage{{Role: endpoint.System, Text: "You are the duty officer. Speak calmly.\n"}, {Role: endpoint.User, Text: string(text)}}}
	for seed := int64(0); b.Loop(); seed++ {
		r.Settings.Seed = &seed
		m.Reply(r)
	}
}
