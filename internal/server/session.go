package server

import (
	"errors"
	"net"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/internal/mcp"
	"goldshelf/internal/people"
	"goldshelf/internal/signon"
	"goldshelf/internal/work"
)

// cookieName is the session's cookie. Over HTTPS the browser itself sees to it that it is
// ours alone.
func (s *server) cookieName() string { return s.ownCookie("goldshelf") }

// browserCookie is by what a browser is known that somebody has signed in with.
func (s *server) browserCookie() string { return s.ownCookie("goldshelf-browser") }

func (s *server) ownCookie(name string) string {
	if s.secure() {
		return "__Host-" + name
	}
	return name
}

// secure says whether people reach the service over HTTPS.
func (s *server) secure() bool {
	return s.opt.TLS || s.opt.Public != nil && s.opt.Public.Scheme == "https"
}

type key int

const (
	callerKey key = iota
	sessionKey
	tokenKey
	requestKey
	insideKey
)

func caller(c fiber.Ctx) work.Caller {
	by, _ := c.Locals(callerKey).(work.Caller)
	return by
}

func (s *server) signIn(c fiber.Ctx) error {
	if err := s.fromHere(c); err != nil {
		return err
	}
	var in api.Credentials
	if err := body(c, &in); err != nil {
		return err
	}
	session, err := s.lib.People.SignIn(c.Context(), s.originOf(c), in)
	if err != nil {
		return err
	}
	return s.signedInAs(c, session)
}

// originOf says where a request comes from.
func (s *server) originOf(c fiber.Ctx) people.Origin {
	browser := c.Get("Sec-Fetch-Site") != "" || c.Get(fiber.HeaderOrigin) != ""
	return people.Origin{Address: s.addressOf(c), Browser: c.Cookies(s.browserCookie()), Cookie: browser, Agent: c.Get(fiber.HeaderUserAgent)}
}

// addressOf is the address that a request comes from: that of the connection or, where
// that is of a proxy that is trusted, the last one that the proxies name and that is none
// of them.
func (s *server) addressOf(c fiber.Ctx) string {
	at, err := netip.ParseAddrPort(c.RequestCtx().RemoteAddr().String())
	if err != nil {
		return c.RequestCtx().RemoteAddr().String() // no network's, as in a test
	}
	from := at.Addr().Unmap()
	named := strings.Split(c.Get(fiber.HeaderXForwardedFor), ",")
	for i := len(named) - 1; i >= 0 && slices.Contains(s.opt.Proxies, from); i-- {
		next, err := netip.ParseAddr(strings.TrimSpace(named[i]))
		if err != nil {
			break
		}
		from = next.Unmap()
	}
	return from.String()
}

// signedInAs answers with a new session, and has a browser keep it.
func (s *server) signedInAs(c fiber.Ctx, session api.Session) error {
	s.keepCookie(c, s.cookieName(), session.Token, session.Expires)
	if session.Browser != "" {
		s.keepCookie(c, s.browserCookie(), session.Browser, time.Now().AddDate(1, 0, 0))
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(session)
}

func (s *server) keepCookie(c fiber.Ctx, name, value string, until time.Time) {
	c.Cookie(&fiber.Cookie{
		Name: name, Value: value, Path: "/", Expires: until,
		HTTPOnly: true, SameSite: fiber.CookieSameSiteStrictMode, Secure: s.secure(),
	})
}

func (s *server) changePassword(c fiber.Ctx) error {
	var in api.OwnPassword
	if err := body(c, &in); err != nil {
		return err
	}
	session, err := s.lib.People.ChangePassword(c.Context(), caller(c), s.originOf(c), in)
	if err != nil {
		return err
	}
	return s.signedInAs(c, session)
}

func (s *server) signOutEverywhere(c fiber.Ctx) error {
	if err := s.lib.People.SignOutEverywhere(c.Context(), caller(c)); err != nil {
		return err
	}
	s.keepCookie(c, s.cookieName(), "", time.Unix(1, 0))
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) session(c fiber.Ctx) error {
	session, _ := c.Locals(sessionKey).(api.Session)
	if session.SignOn && s.opt.SignOn != nil {
		session.SignOut = s.opt.SignOn.SignOut(s.baseURL(c) + "/sign-in")
	}
	return c.JSON(session)
}

func (s *server) sessions(c fiber.Ctx) error {
	token, _ := c.Locals(tokenKey).(string)
	all, err := s.lib.People.Sessions(c.Context(), caller(c), token)
	return answer(c, all, err)
}

func (s *server) endSession(c fiber.Ctx) error {
	if err := s.lib.People.EndSession(c.Context(), caller(c), c.Params("id")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) signOut(c fiber.Ctx) error {
	token, _ := c.Locals(tokenKey).(string)
	if err := s.lib.People.SignOut(c.Context(), caller(c), token); err != nil {
		return err
	}
	s.keepCookie(c, s.cookieName(), "", time.Unix(1, 0))
	return c.SendStatus(fiber.StatusNoContent)
}

// tokenOf gives what a request says who calls by: a bearer token, else the console's
// cookie; and the way by which it came.
func (s *server) tokenOf(c fiber.Ctx) (token string, via work.Via) {
	token = bearer(c.Get(fiber.HeaderAuthorization))
	switch agent := c.Get(fiber.HeaderUserAgent); {
	case token == "":
		return c.Cookies(s.cookieName()), work.ViaConsole
	case strings.HasPrefix(agent, "goldshelf/"):
		return token, work.ViaClient
	case strings.HasPrefix(agent, mcp.Agent):
		return token, work.ViaAssistant
	}
	return token, work.ViaAPI
}

// bearer gives the token of an Authorization header (RFC 6750), or nothing.
func bearer(header string) string {
	scheme, token, _ := strings.Cut(header, " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return ""
	}
	return strings.TrimSpace(token)
}

// signedIn finds out who calls.
func (s *server) signedIn(c fiber.Ctx) error {
	token, via := s.tokenOf(c)
	if token == "" {
		return &status{signInFirst, message.Say("sign in first: send a token as Authorization: Bearer, or sign in at the console")}
	}
	switch {
	case isKey(token):
		return s.byKey(c, token, via)
	case s.opt.SignOn != nil && strings.Count(token, ".") == 2:
		return s.byProvider(c, token, via)
	}
	by, session, err := s.lib.People.Holder(c.Context(), token, via)
	if err != nil {
		return signInAgain(err)
	}
	c.Locals(callerKey, by)
	c.Locals(sessionKey, session)
	c.Locals(tokenKey, token)
	keepConnection(c)
	return c.Next()
}

// keepConnection has the connection of a request that somebody has signed in for make no room
// for others.
func keepConnection(c fiber.Ctx) {
	if own, is := c.RequestCtx().Conn().(*connection); is {
		own.known.Store(true)
	}
}

// byProvider finds out who calls by a token that the company's provider has made for an
// assistant: it is good where assistants are answered, and for what is called for them there.
func (s *server) byProvider(c fiber.Ctx, token string, via work.Via) error {
	_, within := c.RequestCtx().UserValue(insideKey).(bool)
	if !within && c.Path() != mcpPath {
		return &status{signInFirst, message.Say("this token is for assistants, at %s; sign in at the console, or with goldshelf login", mcpPath)}
	}
	who, until, err := s.opt.SignOn.Bearer(c.Context(), token, s.address()+mcpPath)
	switch {
	case errors.Is(err, signon.ErrAway):
		return &busy{message.Say("the company's sign-on does not answer; try again in a moment")}
	case err != nil:
		return &status{signInFirst, message.Say("this token is not good here: it has ended, is for another service, or was made by another provider")}
	}
	by, err := s.lib.People.ByIdentity(c.Context(), who.Issuer, who.Subject)
	if err == people.ErrSignIn {
		return &status{signInFirst, message.Say("nobody here is known by this token; sign in at the console once, by %s", s.opt.SignOn.Name)}
	}
	if err != nil {
		return err
	}
	by.Via = via
	c.Locals(callerKey, by)
	c.Locals(sessionKey, api.Session{Person: api.Person{Name: by.Name, FullName: by.FullName, Department: by.Department, Role: by.Role}, Expires: until.UTC(), SignOn: true})
	return c.Next()
}

// address is where people reach the service, as far as that can be known without a request.
func (s *server) address() string {
	if s.opt.Public != nil {
		return strings.TrimSuffix(s.opt.Public.String(), "/")
	}
	if l := s.listener.Load(); l != nil {
		return s.scheme() + l.Addr().String()
	}
	return "http://goldshelf"
}

// signInAgain says of a token that is not good what to do about it.
func signInAgain(err error) error {
	if err == people.ErrSignIn {
		return &status{signInFirst, message.Say("this sign-in has ended or is not known; sign in again")}
	}
	return err
}

// sameOrigin keeps other sites from acting through a browser that is signed in.
func (s *server) sameOrigin(c fiber.Ctx) error {
	if caller(c).Via == work.ViaConsole {
		if err := s.fromHere(c); err != nil {
			return err
		}
		if changes(c) && c.Get(fiber.HeaderOrigin) == "" && c.Get("Sec-Fetch-Site") == "" {
			return &status{otherSite, message.Say("the request has a browser's cookie and does not say from which page it comes; programs send a token as Authorization: Bearer")}
		}
	}
	return c.Next()
}

// changes says whether a request may change something.
func changes(c fiber.Ctx) bool {
	return c.Method() != fiber.MethodGet && c.Method() != fiber.MethodHead
}

// originHere reports whether an Origin is the service's own: its scheme, host and port. Without
// --public-url the service is reached at the address that it listens on; of another name it
// cannot know whether it is its own or leads a browser here from elsewhere.
func (s *server) originHere(c fiber.Ctx, origin string) bool {
	u, err := url.Parse(origin)
	if err != nil {
		return false
	}
	if p := s.opt.Public; p != nil {
		return u.Scheme == p.Scheme && u.Host == p.Host
	}
	return u.Scheme+"://" == s.scheme() && u.Host == c.Host() && s.ownHost(c)
}

// ownHost reports whether a request names the service by the address that it came to, or by a
// name of this machine for itself.
func (s *server) ownHost(c fiber.Ctx) bool {
	at, err := netip.ParseAddrPort(c.RequestCtx().LocalAddr().String())
	if err != nil {
		return false
	}
	host, port, err := net.SplitHostPort(c.Host())
	if err != nil { // without a port it is the scheme's usual one
		host, port = strings.Trim(c.Host(), "[]"), map[bool]string{true: "443", false: "80"}[s.opt.TLS]
	}
	if port != strconv.Itoa(int(at.Port())) {
		return false
	}
	named, err := netip.ParseAddr(host)
	own := at.Addr().Unmap()
	return err == nil && (named.Unmap() == own || named.IsLoopback() && own.IsLoopback()) || host == "localhost" && own.IsLoopback()
}

// baseURL is the address by which people reach the service. What is told to others goes
// by it, and not by what a request says of itself.
func (s *server) baseURL(c fiber.Ctx) string {
	if s.opt.Public != nil {
		return strings.TrimSuffix(s.opt.Public.String(), "/")
	}
	return s.scheme() + c.RequestCtx().LocalAddr().String()
}

// scheme is by what the service speaks where it listens.
func (s *server) scheme() string {
	if s.opt.TLS {
		return "https://"
	}
	return "http://"
}

func (s *server) fromHere(c fiber.Ctx) error {
	if !changes(c) {
		return nil
	}
	refused := &status{otherSite, message.Say("the request comes from another site; make changes from the console's own pages, at the address that --public-url names")}
	if site := c.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" {
		return refused
	}
	if origin := c.Get(fiber.HeaderOrigin); origin != "" {
		if !s.originHere(c, origin) {
			return refused
		}
	}
	return nil
}
