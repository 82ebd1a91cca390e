"""On what somebody is logged in, in words, from what their browser says of itself."""

from ua_parser import parse


def device_in_words(agent: str) -> str:
    """“Firefox on Android”; “unknown browser” where it says nothing that is known."""
    told = parse(agent[:500])
    browser = told.user_agent.family if told.user_agent else "unknown browser"
    return f"{browser} on {told.os.family}" if told.os else browser
