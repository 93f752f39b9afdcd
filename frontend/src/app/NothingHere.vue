<template>
  <div class="page empty">
    <h1>There is no page at this address</h1>
    <p>The link may be old. <RouterLink class="link" to="/today">Go to Today</RouterLink></p>
  </div>
</template>
