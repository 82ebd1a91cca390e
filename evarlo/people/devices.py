"""On what somebody is logged in, in words, from what their browser says of itself."""


def device_in_words(agent: str) -> str:
    """“Firefox on Android”; “unknown browser” where it says nothing that is known."""
    from ua_parser import parse  # a large table, read at the first log-in and not at the start

    told = parse(agent[:500])
    browser = told.user_agent.family if told.user_agent else "unknown browser"
    return f"{browser} on {told.os.family}" if told.os else browser
