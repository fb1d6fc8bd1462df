package server

import (
	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
)

// routes are the calls of the API below /api/v1, but for those that need no sign-in.
func (s *server) routes(v1 fiber.Router) {
	v1.Get("/session", s.session)
	v1.Delete("/session", s.signOut)
	v1.Get("/library", s.library)
	v1.Put("/library", s.setLibrary)

	v1.Get("/shelf", s.shelf)
	v1.Get("/shelf/:ref", s.shelfEntry)
	v1.Post("/shelf/:ref/fill", s.fill)
	v1.Get("/export", s.export)

	v1.Get("/labels", s.facets)
	v1.Post("/labels", s.addLabel)
	v1.Post("/labels/import", s.importLabels)
	v1.Put("/labels/:facet", s.renameLabel)
	v1.Put("/labels/:facet/:term", s.renameLabel)
	v1.Put("/entries/:slug/labels", s.setLabels)

	v1.Get("/kinds", s.kinds)
	v1.Get("/rules", s.rules)
	v1.Post("/preview", s.preview)
	v1.Post("/check", s.check)
	v1.Post("/outline", s.outline)
	v1.Post("/read", s.readText)
	v1.Post("/blanks", s.makeBlanks)
	v1.Get("/starters", s.starters)
	v1.Put("/starters/:department", s.setStarter)
	v1.Delete("/starters/:department", s.deleteStarter)
	v1.Put("/entries/:slug/helper", s.setHelper)
	v1.Get("/entries", s.entries)
	v1.Post("/entries", s.create)
	v1.Get("/entries/:slug", s.entry)
	v1.Get("/entries/:slug/draft", s.draft)
	v1.Put("/entries/:slug/draft", s.saveDraft)
	v1.Get("/entries/:slug/check", s.checkEntry)

	v1.Post("/entries/:slug/submit", s.submit)
	v1.Post("/entries/:slug/withdraw", s.withdraw)
	v1.Post("/entries/:slug/approve", s.approve)
	v1.Post("/entries/:slug/return", s.giveBack)
	v1.Post("/entries/:slug/publish", s.publish)
	v1.Post("/entries/:slug/unpublish", s.unpublish)
	v1.Post("/entries/:slug/retire", s.retire)
	v1.Post("/entries/:slug/restore", s.restore)
	v1.Post("/entries/:slug/renew", s.renew)
	v1.Get("/publications", s.publications)
	v1.Post("/publications", s.publishTogether)
	v1.Delete("/publications/:id", s.cancelPublication)
	v1.Get("/policy", s.policy)
	v1.Put("/policy", s.setPolicy)

	v1.Get("/entries/:slug/versions", s.versions)
	v1.Get("/entries/:slug/versions/:number", s.version)
	v1.Post("/entries/:slug/versions/:number/restore", s.restoreVersion)
	v1.Get("/entries/:slug/versions/:number/annotate", s.annotate)
	v1.Get("/entries/:slug/diff", s.diff)
	v1.Get("/entries/:slug/uses", s.uses)
	v1.Get("/entries/:slug/effects/:user", s.effect)
	v1.Get("/entries/:slug/comments", s.comments)
	v1.Post("/entries/:slug/comments", s.addComment)
	v1.Post("/entries/:slug/comments/:id/settle", s.settleComment(true))
	v1.Post("/entries/:slug/comments/:id/reopen", s.settleComment(false))

	v1.Get("/desk", s.desk)
	v1.Post("/entries/:slug/transfer", s.transfer)
	v1.Post("/entries/:slug/accept", s.answerOffer(true))
	v1.Post("/entries/:slug/decline", s.answerOffer(false))
	v1.Put("/entries/:slug/owners", s.setOwners)
	v1.Get("/ownership", s.ownership)
	v1.Get("/people", s.people)
	v1.Post("/people", s.addPerson)
	v1.Post("/people/import", s.importPeople)
	v1.Patch("/people/:name", s.changePerson)
	v1.Post("/people/:name/password-link", s.newPasswordLink)
	v1.Post("/people/:name/transfer", s.transferAll)

	v1.Post("/imports", s.createImport)
	v1.Get("/imports/:id", s.plan)
	v1.Put("/imports/:id", s.rereadImport)
	v1.Delete("/imports/:id", s.deleteImport)
	v1.Get("/imports/:id/items/:number", s.compareImport)
	v1.Post("/imports/:id/apply", s.applyImport)
	v1.Get("/imports/:id/progress", s.importProgress)
	v1.Post("/similar", s.similar)
	v1.Get("/similar/groups", s.similarGroups)
	v1.Get("/similar/passages", s.recurringPassages)

	v1.Get("/follows", s.follows)
	v1.Put("/follows/:what/:name", s.follow(true))
	v1.Delete("/follows/:what/:name", s.follow(false))
	v1.Get("/news", s.news)
	v1.Post("/news/read", s.readNews)
	v1.Post("/feed", s.newFeed)
	v1.Get("/channels", s.channels)
	v1.Post("/channels", s.addChannel)
	v1.Put("/channels/:id", s.setChannel)
	v1.Delete("/channels/:id", s.deleteChannel)
	v1.Get("/channels/:id/deliveries", s.deliveries)
	v1.Post("/channels/:id/deliveries/:delivery/send", s.sendAgain)
	v1.Get("/audit", s.audit)
	v1.Get("/audit/export", s.exportAudit)
	v1.Get("/audit/verify", s.verifyAudit)
}

// openRoutes need no sign-in: one gets in by them.
func (s *server) openRoutes(v1 fiber.Router) {
	v1.Get("/openapi.yaml", s.document)
	v1.Get("/welcome", s.welcome)
	v1.Post("/session", s.signIn)
	v1.Post("/setup", s.setup)
	v1.Post("/password", s.setPassword)
	v1.Get("/feeds/:private", s.feed)
}

func (s *server) document(c fiber.Ctx) error {
	c.Set(fiber.HeaderContentType, "application/yaml")
	return c.Send(api.Document)
}
