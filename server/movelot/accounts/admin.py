"""People in the admin, for support."""

from django.contrib import admin
from django.contrib.auth.admin import UserAdmin

from movelot.accounts.models import User


@admin.register(User)
class PersonAdmin(UserAdmin):  # type: ignore[type-arg]  # Django's own class takes no argument at run time
    list_display = ("username", "role", "is_active")
    fieldsets = (*(UserAdmin.fieldsets or ()), ("Role", {"fields": ("role",)}))
