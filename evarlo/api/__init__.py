"""Evarlo for programs: a small JSON API over the same queries and services as the pages.

`tokens` lets a program in as a person with a scope and an end, `door` holds it to that, `shapes` are the objects that go over the
wire, `reading` and `writing` the addresses, `service` puts them together; `views` is the page on which a person keeps tokens."""
