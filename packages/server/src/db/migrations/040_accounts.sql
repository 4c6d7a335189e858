-- People who sign in, where the desk is reached by more than one. Without any there is the desk's password, or nothing.
CREATE TABLE accounts (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name text NOT NULL,
  address text NOT NULL,
  -- Everybody may write; who may post, and who keeps people, mailboxes and settings, is said of each.
  may_post boolean NOT NULL,
  keeps boolean NOT NULL,
  -- argon2id, in the form of its reference implementation; null until an invitation is taken, or with a sign-in service.
  password text,
  -- What one-time codes are made of (RFC 6238), sealed; the last step whose code was taken; digests of recovery codes.
  code_secret text,
  code_step bigint NOT NULL DEFAULT 0,
  recovery jsonb NOT NULL DEFAULT '[]',
  -- Who it is at the sign-in service (OpenID Connect Core 1.0, section 2): issuer and subject.
  service_issuer text,
  service_subject text,
  made_at bigint NOT NULL,
  seen_at bigint,
  -- One that has ended stays: what was done by it names it.
  ended_at bigint
);
CREATE UNIQUE INDEX accounts_address ON accounts (lower(address)) WHERE ended_at IS NULL;
CREATE UNIQUE INDEX accounts_service ON accounts (service_issuer, service_subject) WHERE ended_at IS NULL;

-- Links by which somebody chooses a password: known by a digest only, for one time. A newer one takes the place of the one before.
CREATE TABLE invitations (
  account int PRIMARY KEY REFERENCES accounts ON DELETE CASCADE,
  print text NOT NULL UNIQUE,
  until bigint NOT NULL
);

-- Who is signed in where. The cookie is known by a digest only.
CREATE TABLE sessions (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  print text NOT NULL UNIQUE,
  -- Null: by the desk's password, which had this digest.
  account int REFERENCES accounts ON DELETE CASCADE,
  password_print text,
  begun bigint NOT NULL,
  used bigint NOT NULL,
  -- What the browser says it is, and from which address it came: for whoever looks which sessions are theirs.
  browser text NOT NULL,
  came_from text NOT NULL
);
CREATE INDEX sessions_account ON sessions (account);
