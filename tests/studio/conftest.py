"""Who looks at the pages."""

import pytest
from django.contrib.auth.models import User
from django.test import Client


@pytest.fixture
def signed_in(client: Client, artist: User) -> Client:
    client.force_login(artist)
    return client
