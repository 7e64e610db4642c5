# Union Knot in a container. The database is one of its own: give UNIONKNOT_DB, and for the
# first start and after each change of version run "migrate" once with UNIONKNOT_OWNER_DB.
#   docker build -t unionknot .
#   docker run --rm -e UNIONKNOT_DB -e UNIONKNOT_OWNER_DB unionknot migrate
#   docker run -d --read-only --cap-drop ALL -p 127.0.0.1:8080:8080 -e UNIONKNOT_DB unionknot
FROM golang:1.26-bookworm AS build
WORKDIR /src
COPY go.mod go.sum ./
RUN go mod download
COPY cmd cmd
COPY internal internal
RUN CGO_ENABLED=0 go build -trimpath -buildvcs=false -ldflags "-s -w -buildid=" -o /unionknot ./cmd/unionknot

FROM debian:bookworm-slim
# pg_dump and pg_restore, for copies.
RUN apt-get update && apt-get install -y --no-install-recommends postgresql-client ca-certificates \
  && rm -rf /var/lib/apt/lists/* && useradd --system --uid 10001 --no-create-home unionknot
COPY --from=build /unionknot /usr/bin/unionknot
COPY LICENSE /usr/share/doc/unionknot/copyright
USER unionknot
ENV UNIONKNOT_LISTEN=0.0.0.0:8080 UNIONKNOT_METRICS=
EXPOSE 8080
ENTRYPOINT ["unionknot"]
CMD ["serve"]
