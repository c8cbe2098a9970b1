-- Mail of a workflow that went in digests: counted as it came, without reading all of its messages.
create index message_gathered on rappel.message (workflow, created_at) include (id) where state = 'gathered';
