"""Addresses of the API about people."""

from django.urls import path

from movelot.accounts.own_views import PasswordView, SignInsView, SignInView, TokensView, TokenView
from movelot.accounts.people_views import PeopleView, PersonLinkView, PersonLockView, PersonView
from movelot.accounts.saved_views import SavedViewsView, SavedViewView
from movelot.accounts.views import SessionView
from movelot.accounts.welcome_views import AcceptView, WelcomeView

ADDRESSES = [
    path("session/", SessionView.as_view()),
    path("session/password/", PasswordView.as_view()),
    path("welcome/", WelcomeView.as_view()),
    path("welcome/accept/", AcceptView.as_view()),
    path("sign-ins/", SignInsView.as_view()),
    path("sign-ins/<int:pk>/", SignInView.as_view()),
    path("tokens/", TokensView.as_view()),
    path("tokens/<int:pk>/", TokenView.as_view()),
    path("saved-views/", SavedViewsView.as_view()),
    path("saved-views/<int:pk>/", SavedViewView.as_view()),
    path("people/", PeopleView.as_view()),
    path("people/<int:pk>/", PersonView.as_view()),
    path("people/<int:pk>/link/", PersonLinkView.as_view()),
    path("people/<int:pk>/lock/", PersonLockView.as_view()),
]
