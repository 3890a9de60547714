<template>
  <div class="empty">
    <h1>There is no screen at this address</h1>
    <p>It may have been deleted, or the address was cut off.</p>
    <RouterLink to="/dispatches">Go to Dispatches</RouterLink>
  </div>
</template>
