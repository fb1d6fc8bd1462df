module goldshelf

go 1.26

require github.com/goccy/go-yaml v1.19.2

require (
	github.com/jackc/pgpassfile v1.0.0 // indirect
	github.com/jackc/pgservicefile v0.0.0-20240606120523-5a60cdf6a761 // indirect
	github.com/jackc/pgx/v5 v5.12.0 // indirect
	golang.org/x/text v0.41.0 // indirect
)
