// Package service puts the parts together: a database, the library on it, and
// the server before it, started in order and stopped in the reverse.
package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"goldshelf/internal/asking"
	"goldshelf/internal/channel"
	"goldshelf/internal/demo"
	"goldshelf/internal/documents"
	"goldshelf/internal/jobs"
	"goldshelf/internal/library"
	"goldshelf/internal/models"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/sealed"
	"goldshelf/internal/server"
	"goldshelf/internal/store"
	"goldshelf/internal/telemetry"
	"goldshelf/internal/version"
	"goldshelf/internal/work"
)

// database is what a private database is called.
const database = "goldshelf"

// stopWithin is how long requests that are running get to finish.
const stopWithin = 20 * time.Second

// Options say where the service listens and where it keeps the library.
type Options struct {
	Listen      string   // host:port
	DatabaseURL string   // a database of the caller's; empty runs a private one
	ReadURL     string   // a replica of it, for what is on the shelf; empty for none
	DataDir     string   // where the private one lives
	Demo        bool     // fill an empty library with the demo's
	PublicURL   string   // where people find the service; empty is where it listens
	Connections int      // to the database, at most; 0 is store.Connections
	HeadFile    string   // keeps the head of the record; empty is in the data directory, or nowhere without one
	Proxies     []string // addresses whose word on where a request comes from is believed
	Inside      []string // hosts inside the machine or network that channels may be at

	ModelsInside []string // the same of connections to models
	SecretsDir   string   // has the secrets of connections as files

	TLSCert, TLSKey string // files; empty for a service that speaks plain HTTP

	SignOn SignOnOptions

	OTLP string // an endpoint of OpenTelemetry that traces and logs are sent to; empty for none

	BackupDir   string        // gets backups by itself; empty for none
	BackupEvery time.Duration // how often
	BackupKeep  int           // how many are kept

	ArchiveDir string // gets the log of all that a private database writes, and copies of it
	handover   pgserver.Handover

	SecretKeyFile string // has the key under which others are kept in the database
	BackupKeyFile string // has the key that signs backups; empty is beside the one of secrets

	Log *slog.Logger
	Out io.Writer // gets the line "ready http://…"
	Err io.Writer // gets the code of the first curator
}

// HeadKept is where the head of the record is kept, or nothing.
func (o Options) HeadKept() string {
	if o.HeadFile != "" || o.DatabaseURL != "" {
		return o.HeadFile
	}
	return filepath.Join(o.DataDir, "record-head")
}

// DefaultDataDir is where the library lives if nothing else is said.
func DefaultDataDir() string {
	if os.Geteuid() == 0 {
		return "/var/lib/goldshelf"
	}
	if dir := os.Getenv("XDG_STATE_HOME"); dir != "" {
		return filepath.Join(dir, database)
	}
	return filepath.Join(os.Getenv("HOME"), ".local", "state", database)
}

// WithStore opens the library's database, starting it if it is a private one,
// brings its schema up to date, runs do, and stops what it started. A private one is
// worked on as a role that owns nothing in it, and started again where it dies; the
// context that do gets ends where that cannot be done.
func WithStore(ctx context.Context, o Options, do func(context.Context, *store.DB) error) (err error) {
	url := o.DatabaseURL
	if url == "" {
		pg, err := pgserver.Start(ctx, o.DataDir, pgserver.Options{Log: o.Log, Handover: o.handover})
		if err != nil {
			return err
		}
		watching, stopWatching := context.WithCancel(ctx)
		watched := make(chan error, 1)
		defer func() {
			stopWatching()
			err = errors.Join(err, <-watched, pg.Stop())
			if o.handover == pgserver.HandoverOn { // the end of the log was handed over just now
				key, keyErr := o.backupKey()
				if keyErr == nil {
					keyErr = pg.ArchiveLog(o.ArchiveDir, key)
				}
				err = errors.Join(err, keyErr)
			}
		}()
		var giveUp context.CancelCauseFunc
		ctx, giveUp = context.WithCancelCause(ctx)
		defer giveUp(nil)
		go func() {
			err := pg.Watch(watching)
			if err != nil {
				giveUp(err)
			}
			watched <- err
		}()
		if err := pg.EnsureDatabase(ctx, database); err != nil {
			return err
		}
		password := rand.Text() // anew each time: nobody else needs it
		if err := prepare(ctx, pg.URL(database), password); err != nil {
			return err
		}
		url = pg.URLAs(store.ServiceRole, password, database)
	}
	db, err := store.OpenWith(url, cmp.Or(o.Connections, store.Connections))
	if err != nil {
		return err
	}
	defer db.Close()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	return do(ctx, db)
}

// Look is for what only reads: it changes nothing, not even an older schema, and works beside
// a service that is running.
func Look(ctx context.Context, o Options, do func(*store.DB) error) error {
	if err := o.there(); err != nil {
		return err
	}
	return asOwner(ctx, o, func(url string) error {
		db, err := store.Open(url)
		if err != nil {
			return err
		}
		defer db.Close()
		return do(db)
	})
}

// there says whether there is a library to look at.
func (o Options) there() error {
	if o.DatabaseURL == "" && !pgserver.Exists(o.DataDir) {
		return fmt.Errorf("there is no library in %s; say where it is with --data-dir or --database-url", o.DataDir)
	}
	return nil
}

// Beside is for what whoever keeps the machine does, on a connection of the database's
// owner: beside a service that is running, too.
func Beside(ctx context.Context, o Options, do func(*store.DB) error) error {
	return asOwner(ctx, o, func(url string) error {
		db, err := store.Open(url)
		if err != nil {
			return err
		}
		defer db.Close()
		if err := db.Migrate(ctx); err != nil {
			return err
		}
		return do(db)
	})
}

// asOwner gives how the database's owner connects: to the database of the caller's, to the
// private one of a service that is running, or to one that runs for so long.
func asOwner(ctx context.Context, o Options, do func(url string) error) (err error) {
	if o.DatabaseURL != "" {
		return do(o.DatabaseURL)
	}
	pg, runs := pgserver.Running(o.DataDir)
	if !runs {
		if pg, err = pgserver.Start(ctx, o.DataDir, pgserver.Options{Log: o.Log}); err != nil {
			return err
		}
		defer func() { err = errors.Join(err, pg.Stop()) }()
		if err := pg.EnsureDatabase(ctx, database); err != nil {
			return err
		}
	}
	return do(pg.URL(database))
}

// prepare brings a private database's schema up to date, as its owner, and lets
// the service's role in.
func prepare(ctx context.Context, url, password string) error {
	owner, err := store.Open(url)
	if err != nil {
		return err
	}
	defer owner.Close()
	if err := owner.Migrate(ctx); err != nil {
		return err
	}
	return owner.LetServiceIn(ctx, password)
}

// base is where the service listens, as an address of the web.
func (o Options) base(at net.Addr) string {
	if o.TLSCert != "" {
		return "https://" + at.String()
	}
	return "http://" + at.String()
}

// addresses reads where people find the service, and whose word is believed.
func (o Options) addresses() (public *url.URL, proxies []netip.Addr, err error) {
	if o.PublicURL != "" {
		public, err = url.Parse(o.PublicURL)
		if err != nil || public.Scheme != "http" && public.Scheme != "https" || public.Host == "" || strings.Trim(public.Path, "/") != "" {
			return nil, nil, fmt.Errorf("--public-url is %q; write it as https://shelf.example, without a path", o.PublicURL)
		}
	}
	for _, text := range o.Proxies {
		a, err := netip.ParseAddr(text)
		if err != nil {
			return nil, nil, fmt.Errorf("--trusted-proxy is %q; write an address, as 10.0.0.7", text)
		}
		proxies = append(proxies, a.Unmap())
	}
	return public, proxies, nil
}

// Serve runs the service until ctx ends, then lets running requests finish.
func Serve(ctx context.Context, o Options) error {
	if _, _, err := o.addresses(); err != nil {
		return err
	}
	if o.ReadURL != "" && o.DatabaseURL == "" {
		return errors.New("--read-database-url is a replica of the database of --database-url; say that too")
	}
	if o.ArchiveDir != "" && o.DatabaseURL != "" {
		return errors.New("--archive-dir is for a private database; have the one of --database-url archive its log itself")
	}
	if (o.BackupDir != "" || o.ArchiveDir != "") && (o.BackupEvery < time.Minute || o.BackupKeep < 1) {
		return fmt.Errorf("--backup-every is %s and --backup-keep %d; a minute and one are the least", o.BackupEvery, o.BackupKeep)
	}
	listener, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return fmt.Errorf("listen on %s: %w; stop what uses it, or choose another --listen", o.Listen, err)
	}
	defer listener.Close()
	if o.TLSCert != "" || o.TLSKey != "" {
		if o.Demo {
			return errors.New("the demo talks to itself, by plain HTTP; leave --tls-cert out")
		}
		c, err := readCertificate(o.TLSCert, o.TLSKey, func(err error) { o.Log.Error(err.Error()) })
		if err != nil {
			return err
		}
		listener = c.over(listener)
	}
	o.handover = pgserver.HandoverOff
	if o.ArchiveDir != "" {
		o.handover = pgserver.HandoverOn
	}
	if o.BackupDir != "" || o.ArchiveDir != "" {
		if _, err := o.backupKey(); err != nil {
			return err
		}
	}
	return WithStore(ctx, o, func(ctx context.Context, db *store.DB) error { return serve(ctx, o, db, listener) })
}

func serve(ctx context.Context, o Options, db *store.DB, listener net.Listener) error {
	tracer, err := o.tracer(ctx)
	if err != nil {
		return err
	}
	defer func() {
		if err := tracer.Stop(); err != nil {
			o.Log.Error("the last traces and logs were not sent", "error", err)
		}
	}()
	sending := tracer.Log(o.Log)
	company, err := o.provider()
	if err != nil {
		return err
	}
	options := server.Options{SignOn: company, TLS: o.TLSCert != "", Log: sending, Metrics: telemetry.NewMetrics(version.String()), Tracer: tracer}
	if options.Public, options.Proxies, err = o.addresses(); err != nil {
		return err
	}
	secrets := asking.Secrets{Dir: o.SecretsDir}
	switch {
	case o.SecretKeyFile != "":
		secrets.Key, err = sealed.ReadKey(o.SecretKeyFile)
	case o.DatabaseURL == "":
		secrets.Key, err = sealed.MakeKey(filepath.Join(o.DataDir, "secret-key"))
	}
	if err != nil {
		return err
	}
	inside := o.Inside
	var standIn []string
	if o.Demo {
		answering, err := serveModels(listener.Addr(), o.Log)
		if err != nil {
			return err
		}
		defer answering.Close()
		standIn = append(standIn, answering.address)
		if options.Welcome, err = demo.Load(ctx, db, time.Now(), o.Log); err != nil {
			return fmt.Errorf("load the demo library: %w", err)
		}
		inside = append(slices.Clone(inside), listener.Addr().String())
	}
	lib := library.New(db, time.Now, library.Outside{
		Channels: channel.NewSender(inside...), Models: models.NewAsker(append(slices.Clone(o.ModelsInside), standIn...)...), Secrets: secrets,
	})
	if o.ReadURL != "" {
		replica, err := o.replica(ctx, lib.DB)
		if err != nil {
			return err
		}
		defer replica.Close()
		lib.DB.UseReplica(replica)
		options.Metrics.Read(lib.DB.ReplicaReading)
	}
	lib.Voices.ReadDocuments(documents.Self())
	if o.Demo {
		channel := &demo.Channel{}
		options.Channel = channel
		if options.SignOn == nil {
			at := "http://" + listener.Addr().String() + server.ProviderPath
			if options.SignOn, options.Provider, err = demo.SignOn(at); err != nil {
				return err
			}
		}
		options.Assistant = &demo.Assistant{Endpoint: "http://" + listener.Addr().String() + "/mcp"}
		if err := demo.ConnectModels(ctx, lib, "http://"+standIn[0]); err != nil {
			return fmt.Errorf("connect the demo's models: %w", err)
		}
		if err := demo.Connect(ctx, lib, channel, "http://"+listener.Addr().String()+server.ChannelPath); err != nil {
			return fmt.Errorf("connect the demo's channel: %w", err)
		}
	}
	if err := tellCode(ctx, o, lib, o.base(listener.Addr())); err != nil {
		return err
	}
	answering := server.New(lib, options)
	if o.BackupDir != "" {
		options.Metrics.Read(o.backupReading)
	}
	lib.Asking.OnEach(watched(options, "ask", options.Metrics.Asked))
	defer startJobs(ctx, o, lib, answering, sending, options.Metrics, watched(options, "job", options.Metrics.Job))()
	ended := make(chan error, 1)
	go func() { ended <- answering.Serve(listener) }()
	fmt.Fprintf(o.Out, "ready %s\n", o.base(listener.Addr()))
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	if cause := context.Cause(ctx); cause != nil && !errors.Is(cause, context.Canceled) {
		o.Log.Error("stopping: the database cannot be kept running", "error", cause)
	}
	o.Log.Info("stopping: running requests may finish")
	if err := answering.Stop(stopWithin); err != nil {
		return err
	}
	// A server told to stop before it began to serve has not heard it.
	listener.Close()
	if err := <-ended; err != nil && !errors.Is(err, net.ErrClosed) {
		return err
	}
	return nil
}

// tracer gives what sends traces and logs, or nothing where they are sent nowhere.
func (o Options) tracer(ctx context.Context) (*telemetry.Tracer, error) {
	if o.OTLP == "" {
		return nil, nil
	}
	return telemetry.NewTracer(ctx, o.OTLP, version.String())
}

// watched has each time that something of a kind is done be traced and counted.
func watched(o server.Options, kind string, count func(name string, took time.Duration, err error)) func(context.Context, string) (context.Context, func(error)) {
	return func(ctx context.Context, name string) (context.Context, func(error)) {
		began := time.Now()
		ctx, end := o.Tracer.Begin(ctx, kind+" "+name)
		return ctx, func(err error) {
			end(err)
			count(name, time.Since(began), err)
		}
	}
}

// startJobs has the work done that nobody waits for, and gives what stops it and waits
// until it has stopped.
func startJobs(ctx context.Context, o Options, lib *library.Library, answering *server.Service, log *slog.Logger, metrics *telemetry.Metrics, watch jobs.Watch) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	deliveries := jobs.Deliveries(lib.Notify, log)
	lib.DB.OnForget(work.Shelf, deliveries.Wake)
	replies := jobs.Replies(lib.Asking, log)
	looked := jobs.TrialReplies(lib.Trials)
	relays := jobs.Relays(lib.Relays)
	lib.Asking.OnAsk(func() {
		replies.Wake()
		relays.Wake()
	})
	lib.Asking.OnKept(func() {
		looked.Wake()
		relays.Wake()
	})
	changes := jobs.ShelfChanges(lib.DB, answering.AssistantsListen, answering.TellAssistants)
	lib.DB.OnForget(work.Shelf, changes.Wake)
	all := []*jobs.Job{jobs.Listening(lib.DB), changes, jobs.Publications(lib.Lifecycle), deliveries, replies, jobs.HeldReplies(lib.Asking), looked, relays, jobs.Indexing(lib.DB), jobs.SearchIndex(lib.DB, lib.Index),
		jobs.Uses(lib.Shelf, log), jobs.Figures(lib.Shelf), jobs.Stocktake(lib.Stocktake), jobs.Repetition(lib.Similar), jobs.CleanUp(lib.DB)}
	if o.Demo {
		all = append(all, jobs.Demo(demo.Asked(lib)))
	}
	if o.BackupDir != "" {
		all = append(all, jobs.Backups(o.BackupDir, o.BackupEvery, func(ctx context.Context) error { return o.backUpInto(ctx, log) }))
	}
	if o.ArchiveDir != "" {
		all = append(all, jobs.Log(o.archiveLog), jobs.Copies(o.newestCopy, o.BackupEvery, func(ctx context.Context) error { return o.copyInto(ctx, log) }))
	}
	if file := o.HeadKept(); file != "" {
		all = append(all, jobs.Head(lib.DB, file))
	}
	for _, j := range all {
		metrics.Begin(time.Now(), j.Name())
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		jobs.RunWatched(ctx, log, watch, all...)
	}()
	return func() {
		cancel()
		<-ended
	}
}

// tellCode says where nobody can sign in yet how the first curator gets in. It is told
// on the terminal and nowhere else: no log has it.
func tellCode(ctx context.Context, o Options, lib *library.Library, address string) error {
	if os.Getenv("JOURNAL_STREAM") != "" { // standard error is a log
		has, err := lib.People.HasCurator(ctx)
		if err == nil && !has {
			fmt.Fprintln(o.Err, "There is no curator yet. On this machine, as the user whose the library is: goldshelfd setup --curator NAME --full-name NAME")
		}
		return err
	}
	code, err := lib.People.NewSetupCode(ctx)
	if err != nil || code == "" {
		return err
	}
	fmt.Fprintf(o.Err, "There is no curator yet. Open %s within an hour and enter this code: %s\n", address, code)
	return nil
}
