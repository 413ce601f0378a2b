"""Who things belong to."""

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser

Person = AbstractBaseUser | AnonymousUser
